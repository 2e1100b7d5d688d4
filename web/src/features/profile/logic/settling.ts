/** Findings decided one after the other, without waiting for an answer before deciding on. */
import { reactive, ref } from 'vue'
import { nextAfter, type Listed, type useFindings } from './findings'

export type Verdict = 'accept' | 'dismiss' | 'reopen'

/**
 * `listed` are those that a person goes through, if she does and a decided one leaves the list: the next takes its place at
 * once. One that was refused is shown again.
 */
export function useSettling(
  decide: ReturnType<typeof useFindings>['decide'],
  listed: () => Listed[] | undefined,
  show: (id: string | undefined) => void,
) {
  const inHand = reactive(new Set<string>())
  const last = ref<Listed>()
  let deciding = Promise.resolve()

  function settle(what: Verdict, decided: Listed, reason = ''): void {
    const id = decided.finding.id
    inHand.add(id)
    const gone = [...[...inHand].filter((other) => other !== id), id]
    const through = listed()
    if (through) show(nextAfter(through, gone))
    deciding = deciding
      .then(() => decide.mutateAsync({ what, ids: [id], reason }))
      .then(() => void (last.value = what === 'reopen' ? undefined : decided))
      .catch(() => void (through && show(id)))
      .finally(() => inHand.delete(id))
  }
  /** Take back what was decided last, once all decisions have their answers. */
  function undo(): void {
    void deciding.then(() => last.value && settle('reopen', last.value))
  }
  return { settle, undo, last, isInHand: (item: Listed) => inHand.has(item.finding.id) }
}
