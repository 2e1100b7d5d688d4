/** How a reader connects: lines to copy, for a shell and for Python. */
import type { Schemas } from '@/api/client'

export type Where = Pick<Schemas['ReadersOut'], 'host' | 'port' | 'database'>

/** Where and as whom, as PostgreSQL's own programs and drivers read it. */
export function connection({ host, port, database }: Where, role: string): string {
  return `host=${host} port=${port} dbname=${database} user=${role}`
}

/** A line for a shell; the program asks for the password. */
export function shellLine(where: Where, role: string): string {
  return `psql "${connection(where, role)}"`
}

/** Lines for Python that read a view; the password comes from PGPASSWORD or a password file, not from the script. */
export function pythonLines(where: Where, role: string, view: string): string {
  return [
    'import psycopg',
    `where = "${connection(where, role)}"`,
    'with psycopg.connect(where) as con:',
    `    rows = con.execute("SELECT * FROM ${view}").fetchall()`,
  ].join('\n')
}

/** The feeds that are chosen, with one more or one less. */
export function withFeed(feeds: readonly string[], slug: string, reads: boolean): string[] {
  const others = feeds.filter((each) => each !== slug)
  return reads ? [...others, slug] : others
}
