import { type RefObject, useEffect, useRef, useState } from 'react'

/** How wide a frame is, in px; what is drawn to that measure keeps its letters at their size. */
export function useWidth<Frame extends HTMLElement>(first: number): [RefObject<Frame | null>, number] {
  const frame = useRef<Frame>(null)
  const [width, setWidth] = useState(first)
  useEffect(() => {
    if (!frame.current) return
    const watch = new ResizeObserver(([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)))
    watch.observe(frame.current)
    return () => watch.disconnect()
  }, [])
  return [frame, width]
}
