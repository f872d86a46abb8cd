import { type Schemas, api, ask } from '../api/client'
import type { Money } from '../api/vocabulary'

let shop: Schemas['WorkshopView'] = { name: '', currency: 'EUR', locale: '', tag_prefix: '', arrivals_place: '', hazard_rules: '', recycling_rules: '', sees: [] }

/** Name, currency and dates of the workshop; fetched once after sign-in. */
export const loadWorkshop = async (): Promise<void> => {
  if (!shop.name) shop = await ask(api.GET('/api/workshop'))
}
/** The same anew, after somebody changed it. */
export const reloadWorkshop = async (): Promise<void> => {
  shop = await ask(api.GET('/api/workshop'))
}
export const workshop = (): Schemas['WorkshopView'] => shop

/** Whether who signed in may see that money; without, no answer holds its figures. */
export const sees = (kind: Money): boolean => shop.sees.includes(kind)

/** Dates and figures as the workshop writes them, else as the reader's browser does. */
const locale = (): string | undefined => shop.locale || undefined

const made = new Map<string, Intl.NumberFormat>()

/** A writer of figures; making one takes longer than writing a hundred figures with it. */
const writer = (options: Intl.NumberFormatOptions): Intl.NumberFormat => {
  const key = JSON.stringify([locale(), options])
  const found = made.get(key) ?? new Intl.NumberFormat(locale(), options)
  made.set(key, found)
  return found
}

const inMoney = (cents: number, currency: string | undefined, digits: number): string =>
  Number.isFinite(cents) ? writer({ style: 'currency', currency: currency ?? shop.currency, minimumFractionDigits: digits, maximumFractionDigits: digits }).format(cents / 100) : ''

export const money = (cents: number, currency?: string): string => inMoney(cents, currency, 2)

export const roundMoney = (cents: number, currency?: string): string => inMoney(cents, currency, 0)

export const signed = (cents: number, currency?: string): string => (cents > 0 ? '+' : '') + roundMoney(cents, currency)

/** The sign of a currency as figures carry it: €. */
export const currencySign = (currency?: string): string =>
  writer({ style: 'currency', currency: currency ?? shop.currency }).formatToParts(0).find((part) => part.type === 'currency')?.value ?? ''

/** A figure with so many decimals, with the comma or point of the workshop. */
export const figure = (value: number, decimals = 0): string =>
  writer({ minimumFractionDigits: decimals, maximumFractionDigits: decimals }).format(value)

export const hours = (minutes: number): string => `${figure(minutes / 60, 1)} h`

export const day = (iso: string): string =>
  new Date(iso).toLocaleDateString(locale(), { weekday: 'short', day: 'numeric', month: 'short' })

export const clock = (iso: string): string =>
  new Date(iso).toLocaleTimeString(locale(), { hour: '2-digit', minute: '2-digit' })

/** A day of here, as ISO. */
export const isoDay = (date: Date): string =>
  [date.getFullYear(), date.getMonth() + 1, date.getDate()].map((part) => String(part).padStart(2, '0')).join('-')

const inFigures = (): Intl.DateTimeFormat =>
  new Intl.DateTimeFormat(locale(), { day: '2-digit', month: '2-digit', year: 'numeric', numberingSystem: 'latn', calendar: 'gregory' })

/** A day in figures: 21.12.2026. */
export const dayAsWritten = (iso: string): string => inFigures().format(new Date(`${iso}T12:00`))

/** The day that a text means as the workshop writes days, or in ISO; empty where it means none. */
export const isoDayOf = (text: string): string => {
  const figures = text.match(/\d+/g) ?? []
  const order = inFigures().formatToParts(new Date()).map((part) => part.type).filter((type) => type === 'year' || type === 'month' || type === 'day')
  const names = figures[0]?.length === 4 ? ['year', 'month', 'day'] : order
  if (figures.length !== 3 || /[a-z]/i.test(text)) return ''
  const at = (name: string): number => Number(figures[names.indexOf(name)])
  const year = at('year') < 100 ? at('year') + 2000 : at('year')
  const date = new Date(year, at('month') - 1, at('day'), 12)
  return date.getFullYear() === year && date.getMonth() === at('month') - 1 && date.getDate() === at('day') ? isoDay(date) : ''
}

export const count = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`

/** Minutes and seconds as a clock shows them. */
export const ticking = (seconds: number): string => {
  const whole = Math.max(0, Math.floor(seconds))
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`
}
