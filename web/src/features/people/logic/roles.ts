/** What people may do, as roles that are held beside each other. */
import type { Schemas } from '@/api/client'

export type Role = Schemas['PersonIn']['roles'][number]
export const ROLES: { role: Role; may: string }[] = [
  { role: 'viewer', may: 'looks' },
  { role: 'analyst', may: 'adds deliveries, corrects, decides' },
  { role: 'approver', may: 'publishes releases too' },
  { role: 'administrator', may: 'manages people' },
]

/** The roles with one more or one less, in the usual order. */
export function withRole(roles: string[], role: Role, on: boolean): Role[] {
  return ROLES.map((eachRole) => eachRole.role).filter((item) => (item === role ? on : roles.includes(item)))
}
