/** Keys that work outside of fields: what was opened last has them first. */
import { onBeforeUnmount, onMounted } from 'vue'

export type KeyMap = Record<string, (event: KeyboardEvent) => void>

/** `over`: it lies over the place below, whose keys rest; `always`: the keys of the frame, which never rest. */
export type Layer = 'place' | 'over' | 'always'

/** The name of a key press as KeyMap writes it: "j", "?", "Ctrl+k", "Escape". */
export function keyName(event: KeyboardEvent): string {
  const name =
    event.key.length === 1 && (event.ctrlKey || event.metaKey) ? event.key.toLowerCase() : event.key
  const shift = event.shiftKey && (event.ctrlKey || event.metaKey) ? 'Shift+' : ''
  return (event.ctrlKey || event.metaKey ? 'Ctrl+' : '') + shift + name
}

/** Whether a key press belongs to a field or an open dialog. */
export function isTyping(target: EventTarget | null): boolean {
  const element = target instanceof Element ? target : null
  if (
    element?.closest('input:not([type=checkbox]), textarea, select, [contenteditable=true], [role=combobox]')
  )
    return true
  return document.querySelector('.ant-modal-wrap:not([style*="display: none"])') !== null
}

interface Listener {
  keys: KeyMap
  layer: Layer
}
const layers: Listener[] = []

/** The action for a key: of the layer opened last that knows it; below one that lies over others only the frame's. */
export function actionFor(name: string, from: readonly Listener[] = layers): KeyMap[string] | undefined {
  let covered = false
  for (const { keys, layer } of [...from].reverse()) {
    if (keys[name] && (!covered || layer === 'always')) return keys[name]
    covered ||= layer === 'over'
  }
  return undefined
}

function listen(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.altKey || isTyping(event.target)) return
  const action = actionFor(keyName(event))
  if (!action) return
  if (event.key === 'Enter' && (event.target as Element).closest('a, button, [role=grid]')) return
  event.preventDefault()
  action(event)
}

/** Listen while the component is there. */
export function useKeys(keys: KeyMap, layer: Layer = 'place'): void {
  const own = { keys, layer }
  onMounted(() => {
    if (!layers.length) window.addEventListener('keydown', listen)
    layers.push(own)
  })
  onBeforeUnmount(() => {
    layers.splice(layers.indexOf(own), 1)
    if (!layers.length) window.removeEventListener('keydown', listen)
  })
}
