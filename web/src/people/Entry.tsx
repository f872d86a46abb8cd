import type { ReactNode } from 'react'

/** The plain page of somebody who is not signed in. */
export function Entry({ title, wide, children }: { title: string; wide?: boolean; children: ReactNode }) {
  return (
    <main className="min-h-dvh grid place-items-center p-6">
      <div className={`bg-base-100 border border-base-300 p-8 ${wide ? 'w-[36rem] max-w-full' : 'w-96 max-w-full'}`}>
        <svg viewBox="0 0 220 34" className="h-9 mb-5" role="img" aria-label="Sortis">
          <rect x="0" y="2" width="12" height="30" fill="currentColor" />
          <rect x="18" y="3" width="10" height="28" fill="none" stroke="currentColor" strokeWidth="2" />
          <rect x="34" y="2" width="46" height="12" fill="currentColor" />
          <rect x="87" y="3" width="70" height="28" fill="none" stroke="currentColor" strokeWidth="2" />
          <rect x="87" y="2" width="48" height="30" fill="currentColor" />
          <rect x="166" y="3" width="12" height="28" fill="none" stroke="var(--fit)" strokeWidth="3" />
        </svg>
        <h1 className="mb-1">{title}</h1>
        {children}
      </div>
    </main>
  )
}
