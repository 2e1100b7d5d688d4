import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import TypedInput from './TypedInput.vue'

const typed = async (field: ReturnType<typeof mount>, text: string) => {
  const input = field.element as HTMLInputElement
  input.value = text
  await field.trigger('input')
}

describe('a field that says what was typed', () => {
  it('keeps half-written text when an answer draws it anew, and says it once it is left', async () => {
    const field = mount(TypedInput, { props: { value: 'old' } })
    await typed(field, 'half')
    await field.setProps({ value: 'from the server' })
    expect((field.element as HTMLInputElement).value).toBe('half')
    expect(field.emitted('said')).toBeUndefined()
    await field.trigger('blur')
    expect(field.emitted('said')).toEqual([['half']])
    await field.trigger('change')
    expect(field.emitted('said')).toHaveLength(1)
  })
  it('says nothing when nothing changed, or when it was taken back', async () => {
    const field = mount(TypedInput, { props: { value: 7 } })
    await typed(field, '7')
    await field.trigger('blur')
    await typed(field, '8')
    await field.trigger('keydown', { key: 'Escape' })
    await field.trigger('blur')
    expect(field.emitted('said')).toBeUndefined()
    expect((field.element as HTMLInputElement).value).toBe('7')
  })
  it('live, says every key and shows what is typed while the value is another', async () => {
    const field = mount(TypedInput, { props: { value: 3, live: true } })
    await typed(field, '-')
    await field.setProps({ value: '' })
    expect((field.element as HTMLInputElement).value).toBe('-')
    await typed(field, '-5')
    expect(field.emitted('said')).toEqual([['-'], ['-5']])
  })
})
