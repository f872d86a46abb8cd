import { useState } from 'react'

const FORMULA = /^[=+\-@\t\r]/
const cell = (text: string): string => {
  // What a spreadsheet would run is made plain text.
  const plain = FORMULA.test(text) ? `'${text}` : text
  return /[",\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain
}

/** Copies a list as CSV, as it is shown. */
export function CopyCsv({ headings, rows }: { headings: string[]; rows: string[][] }) {
  const [said, setSaid] = useState('')
  const copy = async (): Promise<void> => {
    const text = [headings, ...rows].map((row) => row.map(cell).join(',')).join('\n')
    try {
      await navigator.clipboard.writeText(text)
      setSaid('copied')
    } catch {
      setSaid('this browser does not let pages copy')
    }
  }
  return <button type="button" className="quiet underline text-sm" onClick={() => void copy()}>copy as CSV <span role="status">{said && `· ${said}`}</span></button>
}
