import { describe, expect, it } from 'vitest'
import { pythonLines, shellLine, withFeed } from './connecting'

const where = { host: '127.0.0.1', port: 5433, database: 'pravin' }

describe('how a reader connects', () => {
  it('is a line for a shell, without a password', () => {
    expect(shellLine(where, 'pravin_reader_3')).toBe(
      'psql "host=127.0.0.1 port=5433 dbname=pravin user=pravin_reader_3"',
    )
  })
  it('is a script that reads a view of the reader', () => {
    const lines = pythonLines(where, 'pravin_reader_3', 'released.wells').split('\n')
    expect(lines[1]).toContain('port=5433 dbname=pravin user=pravin_reader_3')
    expect(lines[3]).toContain('SELECT * FROM released.wells')
  })
  it('adds and takes feeds, each once', () => {
    expect(withFeed(['a', 'b'], 'b', true)).toEqual(['a', 'b'])
    expect(withFeed(['a', 'b'], 'a', false)).toEqual(['b'])
    expect(withFeed([], 'a', true)).toEqual(['a'])
  })
})
