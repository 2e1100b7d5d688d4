/** Edits that are not saved yet: nobody leaves them by accident. */
import { ask } from '@/shared'
import { onBeforeUnmount, onMounted } from 'vue'
import type { RouteLocationNormalized, Router } from 'vue-router'

type Place = Pick<RouteLocationNormalized, 'path' | 'query'>

export interface Unsaved {
  /** what is edited, as in "The rule" */
  what: () => string
  /** whether something is typed that is not saved */
  dirty: () => boolean
  /** whether going there would lose it; by default every other view, but not the records that open over this one */
  lostBy?: (to: Place, from: Place) => boolean
}

const OVER = ['records', 'where']

function isOtherView(to: Place, from: Place): boolean {
  const names = new Set([...Object.keys(to.query), ...Object.keys(from.query)])
  return (
    to.path !== from.path ||
    [...names].some((name) => !OVER.includes(name) && String(to.query[name]) !== String(from.query[name]))
  )
}

const open = new Set<Unsaved>()

/** The first edit that going from one address to another would lose. */
export function lostEdit(to: Place, from: Place): Unsaved | undefined {
  return [...open].find((item) => item.dirty() && (item.lostBy ?? isOtherView)(to, from))
}

/** Ask whether edits may be given up. */
export function mayDiscard(what: string): Promise<boolean> {
  return ask({
    title: `${what} has changes that are not saved`,
    content: 'Leaving discards them.',
    yes: 'Discard changes',
    no: 'Keep editing',
  })
}

/** While the component is there, leaving its unsaved edits is asked about: by address, by closing the page. */
export function useUnsaved(edit: Unsaved): void {
  const warn = (event: BeforeUnloadEvent) => {
    if (edit.dirty()) event.preventDefault()
  }
  onMounted(() => {
    open.add(edit)
    window.addEventListener('beforeunload', warn)
  })
  onBeforeUnmount(() => {
    open.delete(edit)
    window.removeEventListener('beforeunload', warn)
  })
}

/** Let the router ask before it goes. */
export function guardUnsaved(router: Router): void {
  router.beforeEach(async (to, from) => {
    const edit = lostEdit(to, from)
    return edit ? mayDiscard(edit.what()) : true
  })
}
