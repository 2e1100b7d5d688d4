import type { Schemas } from '@/api/client'
import { describe, expect, it } from 'vitest'
import { headlineOf, restOf } from './effect'

const NOTHING: Schemas['RuleEffect'] = {
  cells: 0, unconverted: 0, records: 0, removed: 0, added: 0, broken: 0, columns: 0, seen: '', fills: false, undone: 0,
  undoes: '', different: 0, pairs: [], lost: [], heads: [], rows: [],
} // prettier-ignore
const correction = { is_check: false, reads_types: false }
const conversion = { is_check: false, reads_types: true }
const check = { is_check: true, reads_types: false }

describe('the effect of a rule in words', () => {
  it.each([
    [correction, {}, 'Changes nothing in this delivery'],
    [correction, { cells: 1 }, '1 cell changes'],
    [correction, { cells: 2000 }, '2,000 cells change'],
    [correction, { cells: 12, fills: true }, '12 cells filled'],
    [correction, { removed: 1, added: 3 }, '1 record removed, 3 records added'],
    [correction, { columns: 2 }, '2 columns touched'],
    [conversion, {}, 'All values read, as they are written'],
    [conversion, { cells: 5 }, 'All values read, 5 written differently'],
    [conversion, { unconverted: 1, cells: 1 }, 'All but 1 value read, as they are written'],
    [conversion, { unconverted: 1200, cells: 1203 }, 'All but 1,200 values read, 3 written differently'],
    [conversion, { unconverted: 2, cells: 3, fills: true }, '3 cells filled'],
    [check, { broken: 1 }, '1 record breaks it'],
    [check, { broken: 0 }, '0 records break it'],
    [check, { seen: '4 records', broken: 1 }, '4 records: breaks it'],
    [check, { seen: '4 records', broken: 0 }, '4 records: fine'],
  ])('%j %j', (kind, effect, words) => expect(headlineOf({ ...NOTHING, ...effect }, kind)).toBe(words))
  it.each([
    [correction, { unconverted: 3 }, {}, '3 not understood'],
    [correction, { unconverted: 3 }, { unmatched: 'missing' }, '3 without a match'],
    [conversion, { unconverted: 3 }, {}, ''], // the headline says it
    [conversion, { unconverted: 3, fills: true }, {}, '3 not understood'],
    [correction, {}, {}, ''],
    [check, { unconverted: 3 }, {}, ''],
  ])('of the rest %j %j', (kind, effect, rule, words) =>
    expect(restOf({ ...NOTHING, ...effect }, kind, rule)).toBe(words),
  )
})
