import { describe, expect, it, vi } from 'vitest'
import { actionFor, keyName, type KeyMap, type Layer } from './keys'

const [frame, place, panel] = [vi.fn(), vi.fn(), vi.fn()]
const layers: { keys: KeyMap; layer: Layer }[] = [
  { keys: { '?': frame, Escape: frame }, layer: 'always' as const },
  { keys: { Escape: place, Enter: place, j: place }, layer: 'place' as const },
]
const over = { keys: { Escape: panel }, layer: 'over' as const }

describe('keys', () => {
  it('belong to what was opened last', () => {
    expect(actionFor('Escape', layers)).toBe(place)
    expect(actionFor('Escape', [...layers, over])).toBe(panel)
  })
  it('of a place rest while something lies over it; those of the frame never do', () => {
    expect(actionFor('Enter', layers)).toBe(place)
    expect(actionFor('Enter', [...layers, over])).toBeUndefined()
    expect(actionFor('j', [...layers, over])).toBeUndefined()
    expect(actionFor('?', [...layers, over])).toBe(frame)
  })
  it('have names', () => {
    expect(keyName(new KeyboardEvent('keydown', { key: 'Z', ctrlKey: true, shiftKey: true }))).toBe(
      'Ctrl+Shift+z',
    )
    expect(keyName(new KeyboardEvent('keydown', { key: 'Escape' }))).toBe('Escape')
  })
})
