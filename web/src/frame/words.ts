/** How figures are written, everywhere the same. */
export const money = (cents: number, currency = 'EUR'): string =>
  new Intl.NumberFormat('en-IE', { style: 'currency', currency }).format(cents / 100)

export const roundMoney = (cents: number, currency = 'EUR'): string =>
  new Intl.NumberFormat('en-IE', { style: 'currency', currency, maximumFractionDigits: 0 }).format(cents / 100)

export const signed = (cents: number, currency = 'EUR'): string => (cents > 0 ? '+' : '') + roundMoney(cents, currency)

export const hours = (minutes: number): string => `${(minutes / 60).toFixed(1)} h`

export const day = (iso: string): string =>
  new Date(iso).toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })

export const clock = (iso: string): string =>
  new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })

export const count = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`
