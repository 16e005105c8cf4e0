/** Whole numbers with narrow spaces between thousands. */
export function whole(n: number): string {
  return Math.round(n)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f')
}

/** An amount with thousands apart; decimals only where there are any. */
export function money(amount: number | string): string {
  const n = Number(amount)
  if (!Number.isFinite(n)) return ''
  const [head, tail] = Math.abs(n).toFixed(2).split('.')
  return (n < 0 ? '− ' : '') + whole(Number(head)) + (tail === '00' ? '' : '.' + tail)
}

/** The sum of decimals that come as text, counted in ten-thousandths so that it is exact. */
export function total(amounts: string[]): number {
  return amounts.reduce((sum, a) => sum + Math.round(Number(a) * 10_000), 0) / 10_000
}

/** A time in seconds since 1970 as a day; nothing for 0. */
export function day(unix: number): string {
  return unix ? new Date(unix * 1000).toISOString().slice(0, 10) : ''
}

/** A time in seconds since 1970 as a day and a time in UTC. */
export function moment(unix: number): string {
  return unix ? new Date(unix * 1000).toISOString().slice(0, 16).replace('T', ' ') : ''
}

/** A word of the program for people: underscores become spaces. */
export function word(s: string): string {
  return s.replaceAll('_', ' ')
}

/** "1 device", "2 devices". */
export function count(n: number, one: string, many = one + 's'): string {
  return `${whole(n)} ${n === 1 ? one : many}`
}
