// @vitest-environment jsdom
import { act } from 'react'
import { createRoot } from 'react-dom/client'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Caught } from '../src/frame/Caught'

vi.stubGlobal('IS_REACT_ACT_ENVIRONMENT', true)
afterEach(() => vi.restoreAllMocks())

function Page({ faulty }: { faulty: boolean }) {
  if (faulty) throw new Error('nobody foresaw this')
  return <p>drawn</p>
}

describe('a page that cannot be drawn', () => {
  it('leaves what stands around it, is told as a fault, and another page is drawn again', () => {
    vi.spyOn(console, 'error').mockImplementation(() => undefined)
    const told = vi.fn()
    vi.stubGlobal('reportError', told)
    const box = document.body.appendChild(document.createElement('div'))
    const root = createRoot(box)
    const draw = (at: string, faulty: boolean): void => act(() => root.render(<><nav>stages</nav><Caught at={at}><Page faulty={faulty} /></Caught></>))
    draw('/a', false)
    expect(box.textContent).toBe('stagesdrawn')
    expect(box.querySelector('[role=alert]')).toBeNull()
    draw('/a', true)
    expect(box.querySelector('nav')?.textContent).toBe('stages')
    expect(box.querySelector('[role=alert]')?.textContent).toContain('could not be drawn')
    expect(told).toHaveBeenCalledOnce()
    // What came meanwhile may be drawn again, but not before somebody asks: it would blink.
    draw('/a', false)
    expect(box.querySelector('[role=alert]')).not.toBeNull()
    draw('/b', false)
    expect(box.textContent).toBe('stagesdrawn')
    act(() => root.unmount())
  })
})
