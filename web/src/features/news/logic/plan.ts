/** A plan of arrivals in words. */
import type { Schemas } from '@/api/client'

export const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']

/** `after`: the name of the feed that it follows. */
export function planInWords(plan: Schemas['Plan'], after = ''): string {
  if (plan.every === 'feed') return `after each delivery of ${after || 'another feed'}`
  const when = {
    day: 'every day',
    weekday: 'from Monday to Friday',
    week: `every ${DAYS[plan.on - 1] ?? ''}`,
    month: plan.on === 31 ? 'on the last day of every month' : `on day ${plan.on} of every month`,
  }[plan.every]
  return `${when} by ${plan.at.slice(0, 5)} (${plan.zone})`
}
