import { type Schemas, api, ask } from '../api/client'

let shop: Schemas['WorkshopView'] = { name: '', currency: 'EUR', locale: '', tag_prefix: '', arrivals_place: '', hazard_rules: '' }

/** Name, currency and dates of the workshop; fetched once after sign-in. */
export const loadWorkshop = async (): Promise<void> => {
  if (!shop.name) shop = await ask(api.GET('/api/workshop'))
}
/** The same anew, after somebody changed it. */
export const reloadWorkshop = async (): Promise<void> => {
  shop = await ask(api.GET('/api/workshop'))
}
export const workshop = (): Schemas['WorkshopView'] => shop

/** Dates and figures as the workshop writes them, else as the reader's browser does. */
const locale = (): string | undefined => shop.locale || undefined

const inMoney = (cents: number, currency: string | undefined, digits: number): string =>
  new Intl.NumberFormat(locale(), { style: 'currency', currency: currency ?? shop.currency, minimumFractionDigits: digits, maximumFractionDigits: digits }).format(cents / 100)

export const money = (cents: number, currency?: string): string => inMoney(cents, currency, 2)

export const roundMoney = (cents: number, currency?: string): string => inMoney(cents, currency, 0)

export const signed = (cents: number, currency?: string): string => (cents > 0 ? '+' : '') + roundMoney(cents, currency)

/** The sign of a currency as figures carry it: €. */
export const currencySign = (currency?: string): string =>
  new Intl.NumberFormat(locale(), { style: 'currency', currency: currency ?? shop.currency }).formatToParts(0).find((part) => part.type === 'currency')?.value ?? ''

export const hours = (minutes: number): string => `${(minutes / 60).toFixed(1)} h`

export const day = (iso: string): string =>
  new Date(iso).toLocaleDateString(locale(), { weekday: 'short', day: 'numeric', month: 'short' })

export const clock = (iso: string): string =>
  new Date(iso).toLocaleTimeString(locale(), { hour: '2-digit', minute: '2-digit' })

export const count = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`

/** Minutes and seconds as a clock shows them. */
export const ticking = (seconds: number): string => {
  const whole = Math.max(0, Math.floor(seconds))
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`
}
