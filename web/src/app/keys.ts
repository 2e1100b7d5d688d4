/** Keys that work outside of fields. */
import { onBeforeUnmount, onMounted } from 'vue'

export type KeyMap = Record<string, (event: KeyboardEvent) => void>

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

/** Listen while the component is there. Keys with Ctrl work everywhere, others not while typing. */
export function useKeys(keys: KeyMap): void {
  function listen(event: KeyboardEvent): void {
    const action = keys[keyName(event)]
    if (!action || event.defaultPrevented || event.altKey) return
    if (isTyping(event.target)) return
    if (event.key === 'Enter' && (event.target as Element).closest('a, button')) return
    event.preventDefault()
    action(event)
  }
  onMounted(() => window.addEventListener('keydown', listen))
  onBeforeUnmount(() => window.removeEventListener('keydown', listen))
}
