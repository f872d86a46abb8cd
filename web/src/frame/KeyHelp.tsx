import { useEffect, useRef, useState } from 'react'
import { type KeyTable, capOf, openTables, useKeys } from './keys'

/** Keys that do the same on every screen. */
const EVERYWHERE: KeyTable = {
  screen: 'Everywhere',
  rows: [
    { key: '/', does: 'type a tag or serial number' },
    { key: 'scan', does: 'jump to what was scanned; a scan is never a key' },
    { key: 'Alt 1 to 5', does: 'a stage of the batch' },
    { key: '?', does: 'these keys' },
    { key: 'Escape', does: 'leave what is open' },
  ],
}

/** `?` shows the keys of the screen one is on, from the table that the screen itself obeys. */
export function KeyHelp() {
  const [shown, setShown] = useState<KeyTable[] | null>(null)
  const [wanted, setWanted] = useState('')
  const dialog = useRef<HTMLDialogElement>(null)
  const before = useRef<Element | null>(null)
  const open = (): void => {
    before.current = document.activeElement
    setWanted('')
    setShown([...openTables().filter((table) => table.screen !== EVERYWHERE.screen), EVERYWHERE])
  }
  useKeys(EVERYWHERE.screen, [{ key: '?', does: 'these keys', act: open }])
  useEffect(() => {
    if (shown) dialog.current?.showModal()
  }, [shown])
  const close = (): void => {
    setShown(null)
    if (before.current instanceof HTMLElement) before.current.focus()
  }
  const fits = (text: string): boolean => text.toLowerCase().includes(wanted.toLowerCase())
  return (
    <>
      <button type="button" className="btn btn-ghost btn-sm px-1 font-normal" onClick={open}><span className="max-xl:sr-only">Keys</span> <kbd>?</kbd></button>
      {shown && (
        <dialog ref={dialog} aria-label="Keys" className="m-auto w-[44rem] max-w-[94vw] max-h-[86dvh] bg-base-100 border border-base-content p-6" onClose={close}>
          <div className="flex items-center gap-4 mb-3">
            <h2 className="grow text-2xl">Keys</h2>
            <input autoFocus className="input input-bordered h-11 w-56" placeholder="What do you want to do?" aria-label="Search the keys" value={wanted} onChange={(event) => setWanted(event.target.value)} />
            <button type="button" className="btn btn-ghost btn-bench" onClick={() => dialog.current?.close()}>Close <kbd>Esc</kbd></button>
          </div>
          {shown.map((table) => {
            const rows = table.rows.filter((row) => fits(row.does) || fits(capOf(row.key)))
            return rows.length > 0 && (
              <section key={table.screen}>
                <h3 className="mt-3 mb-1 font-semibold">{table.screen}</h3>
                <ul>
                  {rows.map((row) => (
                    <li key={row.key} className={`flex gap-4 py-1 rule-t text-base ${row.off ? 'quiet' : ''}`}>
                      <span className="w-28 shrink-0"><kbd>{capOf(row.key)}</kbd></span>
                      <span>{row.does}{row.off && ` · not now: ${row.off}`}</span>
                    </li>
                  ))}
                </ul>
              </section>
            )
          })}
        </dialog>
      )}
    </>
  )
}
