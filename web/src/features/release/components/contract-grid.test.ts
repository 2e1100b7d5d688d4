import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { sizeOf, valuesOf, withSize, withType, type Column } from '../logic/contract'
import ContractGrid from './ContractGrid.vue'

const column = (name: string, type: Column['type'], more: Partial<Column> = {}): Column => ({
  name, type, label: '', description: '', unit: '', example: 'x', length: null, digits: null, decimals: null,
  required: false, key: false, allowed: [], personal: false, masked: false, ...more,
}) // prettier-ignore
const COLUMNS = [column('well', 'text', { required: true }), column('litres', 'decimal')]
const version = (number: number, columns = COLUMNS) => ({ number, change: number ? 'sizes' : '', who: 'App', at: '2026-11-02T09:00:00Z', columns }) // prettier-ignore

async function opened(now: object, mayWork = true) {
  let stands = now
  const noted = answering({
    'GET /api/feeds/wells/contract': () => stands,
    'PUT /api/feeds/wells/contract': ({ body }) =>
      (stands = version(3, (body as { columns: Column[] }).columns)),
  })
  const page = await shown(ContractGrid, { slug: 'wells', mayWork })
  const settle = async () => {
    for (let round = 0; round < 4; round += 1) await flushPromises()
  }
  await settle()
  const field = (label: string) => page.get(`[aria-label="${label}"]`)
  const agreed = async () => {
    await page.get('form').trigger('submit')
    await settle()
    return noted.filter((asked) => asked.method === 'PUT').map((asked) => asked.body as never)
  }
  return { page, field, agreed, settle }
}

describe('sizes of columns', () => {
  it.each([
    ['text', '40', { length: 40 }],
    ['text', ' 7 ', { length: 7 }],
    ['text', '', {}],
    ['text', '0', undefined],
    ['text', '8, 2', undefined],
    ['decimal', '8, 2', { digits: 8, decimals: 2 }],
    ['exact decimal', '8.0', { digits: 8, decimals: 0 }],
    ['decimal', '2, 8', undefined],
    ['decimal', '8', undefined],
    ['date', '8', undefined],
  ] as const)('of a %s: %s', (type, typed, expected) => {
    const sized = withSize(column('c', type, { length: type === 'text' ? 5 : null }), typed)
    expect(sized).toEqual(expected && column('c', type, expected))
    if (sized && typed.trim()) expect(withSize(column('c', type), sizeOf(sized))).toEqual(sized)
  })
  it('are given up by a type that has none of the kind', () => {
    expect(withType(column('c', 'text', { length: 5 }), 'date').length).toBeNull()
    expect(withType(column('c', 'decimal', { digits: 5, decimals: 1 }), 'exact decimal').digits).toBe(5)
  })
  it('values allowed stand one a line, each once', () => {
    expect(valuesOf('a\nb, c\n\na\n x')).toEqual(['a', 'b, c', ' x'])
  })
})

describe('the contract', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('that is proposed is agreed as it stands', async () => {
    const { page, agreed } = await opened(version(0))
    expect(page.text()).toContain('Nothing is agreed yet')
    expect(await agreed()).toEqual([{ based_on: 0, change: '', columns: COLUMNS }])
  })
  it('is changed in the grid, and agreed on the version that was seen', async () => {
    const { page, field, agreed } = await opened(version(2))
    expect(page.text()).not.toContain('Agree version')
    await field('Label of well').setValue('Well')
    await field('Size of litres: digits, decimals').setValue('6, 2')
    await field('Key: well').setValue(true)
    expect(page.text()).toContain('Agree version 3')
    const [body] = await agreed()
    expect(body).toEqual({
      based_on: 2, change: '', columns: [{ ...COLUMNS[0], label: 'Well', key: true }, { ...COLUMNS[1], digits: 6, decimals: 2 }],
    }) // prettier-ignore
    expect(page.text()).toContain('Version 3')
    expect(page.text()).not.toContain('Agree version')
  })
  it('says what a size is, and is not agreed with one that is none', async () => {
    const { page, field } = await opened(version(2))
    await field('Size of litres: digits, decimals').setValue('2, 6')
    expect(page.get('[role=alert]').text()).toContain('(8, 2)')
    expect(page.get('.acts .main').attributes('disabled')).toBeDefined()
    await page.findAll('.acts button')[1]!.trigger('click')
    expect(page.find('[role=alert]').exists()).toBe(false)
    expect((field('Size of litres: digits, decimals').element as HTMLInputElement).value).toBe('')
  })
  it('is read by those who may not change it', async () => {
    const { page } = await opened(version(2, [column('well', 'text', { length: 9, masked: true, allowed: ['a', 'b'] })]), false) // prettier-ignore
    const cells = page.findAll('tbody td').map((cell) => cell.text())
    expect(cells).toEqual(['', 'text', '9', '', '', '', 'yes', '', '2 values', ''])
    expect(page.findAll('input, button')).toHaveLength(0)
  })
  it('has words where nothing was run', async () => {
    const { page } = await opened(version(0, []))
    expect(page.text()).toContain('It is proposed when a delivery was run')
  })
})
