import type { Schemas } from '@/api/client'
import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import SettingsForm from './SettingsForm.vue'

const FORMATS: Schemas['FormatOut'][] = [
  { format: 'delimited', label: 'delimited text', about: '', first: ['delimiter', 'encoding', 'header_rows'], more: ['quote', 'totals_line', 'names'] },
  { format: 'workbook', label: 'workbook', about: '', first: ['cells'], more: [] },
  { format: 'ropes', label: 'knotted ropes', about: '', first: ['knots_apart'], more: [] },
] // prettier-ignore
const preview = {
  settings: { format: 'delimited', delimiter: ';', encoding: 'cp1252', header_rows: 1, quote: '"', totals_line: false },
  evidence: { delimiter: 'semicolon: all lines have 4 fields', encoding: 'bytes that are no UTF-8' },
  rivals: { encoding: ['iso8859-15', 'cp1250'] },
} as unknown as Schemas['PreviewOut'] // prettier-ignore

async function form(modelValue: object = {}, props: object = {}) {
  answering({ 'GET /api/formats': () => FORMATS })
  const page = await shown(SettingsForm, { modelValue, preview, ...props })
  await flushPromises()
  const last = () => page.emitted('update:modelValue')?.at(-1)?.[0]
  const labels = () => page.findAll('label').map((element) => element.text())
  const button = (name: string) => page.findAll('button').find((element) => element.text() === name)
  return { page, last, labels, button }
}

describe('the import settings', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('show few settings of the format at hand with what was detected and why, all on demand', async () => {
    const { page, labels, button } = await form()
    expect(labels()).toEqual(['Format', 'Delimiter', 'Encoding', 'Header rows'])
    expect(page.get('#set-delimiter').attributes('placeholder')).toBe('semicolon')
    expect(page.text()).toContain('semicolon: all lines have 4 fields')
    await button('All settings')?.trigger('click')
    expect(labels().slice(4)).toEqual(['Quotation mark', 'Totals at the end', 'Column names'])
    await button('Fewer settings')?.trigger('click')
    expect(labels()).toHaveLength(4)
  })
  it('offer every format that the server reads, also one that the web has never heard of', async () => {
    const { page, last } = await form()
    const options = page.findAll('#set-format option').map((element) => element.text())
    expect(options.slice(1)).toEqual([
      'delimited text (by hand)',
      'workbook (by hand)',
      'knotted ropes (by hand)',
    ])
    await page.get('#set-format').setValue('ropes')
    expect(last()).toEqual({ format: 'ropes' })
    await page.setProps({ modelValue: { format: 'ropes' } })
    expect(page.findAll('label').map((element) => element.text())).toEqual(['Format', 'knots apart'])
  })
  it('a choice goes back to detection, a chosen setting stays in sight', async () => {
    const { page, last, labels, button } = await form({ totals_line: true })
    expect(labels()).toContain('Totals at the end')
    expect((page.get('#set-totals_line').element as HTMLSelectElement).value).toBe('yes')
    await page.get('#set-totals_line').setValue('no')
    expect(last()).toEqual({ totals_line: false })
    await button('detect')?.trigger('click')
    expect(last()).toEqual({ totals_line: null })
  })
  it('another reading that comes into question is taken in one press', async () => {
    const { page, last } = await form()
    const rivals = page.findAll('.rival').map((element) => element.text())
    expect(rivals).toEqual(['iso8859-15', 'cp1250'])
    await page.findAll('.rival')[1]?.trigger('click')
    expect(last()).toEqual({ encoding: 'cp1250' })
  })
  it('cannot be changed by who may not', async () => {
    const { page, button } = await form({ encoding: 'utf-8' }, { disabled: true })
    expect(page.get('fieldset').attributes('disabled')).toBeDefined()
    expect(page.findAll('.rival')).toHaveLength(0)
    expect(button('detect')).toBeUndefined()
  })
})
