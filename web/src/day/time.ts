/** A minute of the day as a clock shows it. */
export const atMinute = (minute: number): string => `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`

/** What people type for a minute of the day: 8, 8:30, 08.30; null where it reads as none. */
export const minuteOf = (text: string): number | null => {
  const match = /^\s*(\d{1,2})(?:[:.](\d{2}))?\s*$/.exec(text)
  if (!match) return null
  const minute = Number(match[1]) * 60 + Number(match[2] ?? 0)
  return minute <= 24 * 60 && Number(match[2] ?? 0) < 60 ? minute : null
}
