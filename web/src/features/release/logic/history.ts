import { count } from '@/shared'

/** A difference with its sign; nothing where there is none. */
export const signed = (n: number): string => (n ? `${n > 0 ? '+' : '−'}${count(Math.abs(n))}` : '')
