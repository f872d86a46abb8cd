/**
 * Codes of the core's words that stand as literals in the interface: `node checks/words.mjs`.
 *
 * They are written as constants (`Stage.FIT`) from the generated src/api/vocabulary.ts, so that a
 * code which changes or goes is found by the compiler. A literal is found where it is compared, where
 * a list of them stands, and where the type it must have is a list of the core's codes; names of
 * fields, headings and the browser's own words are none. Status 1 where one is found.
 */
import { readFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import ts from 'typescript'

const ROOT = join(import.meta.dirname, '..')
const vocabulary = readFileSync(join(ROOT, 'src', 'api', 'vocabulary.ts'), 'utf8')
const lists = [...vocabulary.matchAll(/export const \w+ = \{ (.*?) \} as const/g)].map((list) => new Set([...list[1].matchAll(/: "([^"]+)"/g)].map((code) => code[1])))
const codes = new Set(lists.flatMap((list) => [...list]))

const config = ts.getParsedCommandLineOfConfigFile(join(ROOT, 'tsconfig.json'), {}, { ...ts.sys, onUnRecoverableConfigFileDiagnostic: console.error })
const program = ts.createProgram(config.fileNames, config.options)
const checker = program.getTypeChecker()

/** Whether a type is a choice among codes of one list. */
const isList = (type) => {
  const members = (type?.isUnion() ? type.types : []).filter((one) => !(one.flags & (ts.TypeFlags.Null | ts.TypeFlags.Undefined)))
  return members.length > 1 && members.every((one) => one.isStringLiteral()) && lists.some((list) => members.every((one) => list.has(one.value)))
}
const isLiteral = (node) => ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)

const isCode = (node) => {
  const { parent } = node
  if (ts.isLiteralTypeNode(parent)) return !ts.isTypeReferenceNode(parent.parent.parent) && ts.isUnionTypeNode(parent.parent) && parent.parent.types.every((one) => ts.isLiteralTypeNode(one) && lists.some((list) => list.has(one.literal.text)))
  if (ts.isCaseClause(parent)) return true
  if (ts.isBinaryExpression(parent) && [ts.SyntaxKind.EqualsEqualsEqualsToken, ts.SyntaxKind.ExclamationEqualsEqualsToken].includes(parent.operatorToken.kind)) {
    // A choice of another kind (a size of drawing) may share a word with a list.
    const other = checker.getTypeAtLocation(parent.left === node ? parent.right : parent.left)
    return !other.isUnion() || other.types.every((one) => !one.isStringLiteral()) || isList(other)
  }
  if (ts.isArrayLiteralExpression(parent) && parent.elements.length > 1) return lists.some((list) => parent.elements.every((one) => isLiteral(one) && list.has(one.text)))
  return ts.isExpression(node) && isList(checker.getContextualType(node))
}

let found = 0
for (const source of program.getSourceFiles()) {
  const file = relative(ROOT, source.fileName)
  if (!file.startsWith('src/') || file.startsWith('src/api/schema') || file.startsWith('src/api/vocabulary')) continue
  const walk = (node) => {
    if (isLiteral(node) && codes.has(node.text) && isCode(node)) {
      const { line } = source.getLineAndCharacterOfPosition(node.getStart())
      console.log(`${file}:${line + 1}: ${node.getText()}`)
      found += 1
    }
    ts.forEachChild(node, walk)
  }
  walk(source)
}
console.log(`${found} of the core's codes stand as literals in the interface; 0 are wanted.`)
process.exit(found ? 1 : 0)
