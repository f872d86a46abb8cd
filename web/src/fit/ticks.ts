/** Ticks that were made and not answered yet; they live on this device until they are. */
export interface KeptTick {
  token: string
  /** What the screen measured for the step. */
  seconds: number | null
}

const key = (tag: string): string => `sortis.ticks.${tag}`

export const keptTicks = (tag: string): KeptTick[] => {
  try {
    return (JSON.parse(localStorage.getItem(key(tag)) ?? '[]') as KeptTick[] | null) ?? []
  } catch {
    return []
  }
}

export const keepTicks = (tag: string, ticks: KeptTick[]): void => {
  if (ticks.length) localStorage.setItem(key(tag), JSON.stringify(ticks))
  else localStorage.removeItem(key(tag))
}

/** A name for one tick, so that sent twice it counts once. */
export const newToken = (): string => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`
