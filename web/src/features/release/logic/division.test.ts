import { describe, expect, it } from 'vitest'
import { asSent, blank, hindrance, sentenceOf } from './division'

const MADE = { id: 1, number: 1, key: ['id'], moments: [], who: 'Ana', at: '2026-11-28T09:00:00Z' }

describe('dividing a table into parts', () => {
  it.each([
    [{}, ['id'], ''],
    [{}, [], 'The feed has no key that tells records apart. It is agreed in Quarantine.'],
    [{ way: 'groups' as const }, [], 'Choose a column.'],
    [{ way: 'groups' as const, column: 'site' }, [], ''],
    [{ shares: [{ name: 'a', share: 33.3 }, { name: 'b', share: 60 }] }, ['id'], 'The shares make 93.3 %, not 100 %.'],
    [{ shares: [{ name: 'a', share: 50 }, { name: 'a', share: 50 }] }, ['id'], 'Two parts have the same name.'],
    [
      { shares: [{ name: 'My part', share: 50 }, { name: 'a', share: 50 }] },
      ['id'],
      'A part is named by up to 20 lower case letters, digits and _, a letter first.',
    ],
  ])('%j with the key %j: %s', (more, key, expected) => {
    expect(hindrance({ ...blank(), ...more }, key)).toBe(expected)
  }) // prettier-ignore

  it('sends only what belongs to the chosen way', () => {
    const asked = { ...blank(), column: 'day', stratum: 'site' }
    expect(asSent(asked)).toMatchObject({ column: '', stratum: 'site' })
    expect(asSent({ ...asked, way: 'time' })).toMatchObject({ column: 'day', stratum: '' })
  })

  it('says how a table is divided', () => {
    const told = (more: object) => sentenceOf({ ...blank(), ...MADE, ...more })
    expect(told({ seed: 's', stratum: 'site' })).toBe('records by id, each with the shares of site, seed "s"')
    expect(told({ seed: 's', way: 'groups', column: 'site' })).toBe('whole groups by site, seed "s"')
    expect(told({ way: 'time', column: 'day', moments: ['2024-05-01'] })).toBe(
      'by time in day, from 2024-05-01 on the next',
    )
  })
})
