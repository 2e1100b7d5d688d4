import { computed, ref } from 'vue'
import { describe, expect, it } from 'vitest'
import type { Listed } from './findings'
import { ordered, useRegister, type Line } from './register'

const found = (severity: 'high' | 'middle' | 'low', share: number, state = 'open') =>
  ({ state, finding: { id: `${severity}-${share}`, severity, share } }) as unknown as Listed
const column = (name: string, role = 'measure') => ({ name, role }) as Line['column']
const line = (name: string, findings: Listed[] = [], role?: string): Line => ({
  column: column(name, role),
  findings,
})
const names = (lines: Line[]) => lines.map((each) => each.column.name)

describe('the order of the register', () => {
  it.each([
    ['one high outweighs many of middle severity', [found('high', 0.001)], [found('middle', 1), found('middle', 1)]],
    ['one of middle severity outweighs many low ones', [found('middle', 0)], [found('low', 0.9), found('low', 0.9)]],
    ['of the same severity the larger share comes first', [found('low', 0.5)], [found('low', 0.4)]],
    ['no finding comes last', [found('low', 0)], []],
  ])('%s', (_, heavy, light) => {
    expect(names(ordered([line('light', light), line('heavy', heavy)], 'worst'))).toEqual(['heavy', 'light'])
  }) // prettier-ignore
  it('is that of the table where nothing tells lines apart, and leaves the given list alone', () => {
    const lines = [line('b', [], 'key'), line('a', [], 'key'), line('c', [], 'category')]
    expect(names(ordered(lines, 'table'))).toEqual(['b', 'a', 'c'])
    expect(names(ordered(lines, 'worst'))).toEqual(['b', 'a', 'c'])
    expect(names(ordered(lines, 'role'))).toEqual(['c', 'b', 'a'])
    expect(names(lines)).toEqual(['b', 'a', 'c'])
  })
})

describe('the register', () => {
  function opened(asked?: string) {
    const columns = ref([column('Site'), column('site code'), column('pH')])
    const byColumn = computed(
      () =>
        new Map([
          ['Site', [found('low', 0.1), found('high', 0.1, 'dismissed')]],
          ['pH', [found('middle', 0.2)]],
        ]),
    )
    return useRegister(columns as never, byColumn, () => asked)
  }
  it('finds columns whatever the case, and shows open findings only', () => {
    const { find, lines } = opened()
    find.value = 'SITE'
    expect(names(lines.value)).toEqual(['Site', 'site code'])
    expect(lines.value[0]!.findings.map(({ state }) => state)).toEqual(['open'])
  })
  it('leaves those that ask for a person', () => {
    const { onlyMarked, lines } = opened()
    onlyMarked.value = true
    expect(names(lines.value)).toEqual(['pH'])
  })
  it('has the asked column chosen, else the first that is shown', () => {
    const { find, chosen, place } = opened('pH')
    expect([chosen.value!.column.name, place.value]).toEqual(['pH', 2])
    find.value = 'site'
    expect([chosen.value!.column.name, place.value]).toEqual(['Site', 0])
    find.value = 'nothing is called so'
    expect([chosen.value, place.value]).toEqual([undefined, -1])
  })
})
