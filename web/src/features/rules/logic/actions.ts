/** What is done to the chosen rule as it stands: switched, removed, copied, moved by keys, by a remark or by hand. */
import type { Schemas } from '@/api/client'
import { until } from '@vueuse/core'
import { ref, type Ref } from 'vue'
import { freshId, moved, type Rule } from './rulebook'

interface Page {
  book: Ref<Schemas['RulebookOut'] | undefined>
  rules: Ref<Rule[]>
  /** The place of the chosen rule, from 0; -1 for none. */
  at: Ref<number>
  saving: Ref<boolean>
  keep: (next: Rule[], change: string) => Promise<boolean>
  choose: (id: string | undefined) => void
  /** The chosen rule is gone. */
  left: () => void
}

export function useRuleActions({ book, rules, at, saving, keep, choose, left }: Page) {
  const chosen = () => rules.value[at.value]

  async function switchRule(): Promise<void> {
    const chosenRule = chosen()
    if (!chosenRule) return
    const next = rules.value.map((rule) =>
      rule.id === chosenRule.id ? { ...rule, enabled: !rule.enabled } : rule,
    )
    await keep(next, `switched rule ${at.value + 1} ${chosenRule.enabled ? 'off' : 'on'}`)
  }

  async function remove(): Promise<void> {
    if (at.value < 0 || saving.value) return
    const number = at.value + 1
    const next = rules.value.filter((_, i) => i !== at.value)
    const place = Math.min(at.value, next.length - 1)
    if (!(await keep(next, `removed rule ${number}`))) return
    left()
    choose(next[place]?.id)
  }

  async function copyRule(): Promise<void> {
    const chosenRule = chosen()
    if (!chosenRule) return
    const copy = { ...chosenRule, id: freshId(rules.value, chosenRule.kind) }
    const next = [...rules.value.slice(0, at.value + 1), copy, ...rules.value.slice(at.value + 1)]
    if (await keep(next, `copied rule ${at.value + 1}`)) choose(copy.id)
  }

  /** Moves a rule to a place among all; a key pressed while the former change is still being kept waits for it. */
  async function place(from: number, to: number): Promise<void> {
    const id = book.value?.rules[from]?.rule.id
    if (id === undefined) return
    while (saving.value) await until(saving).toBe(false)
    const all = book.value?.rules ?? []
    const now = all.findIndex((item) => item.rule.id === id)
    const next = moved(all, now, to - from)
    if (next !== all)
      await keep(
        next.map(({ rule }) => rule as Rule),
        `moved rule ${now + 1} to ${now + to - from + 1}`,
      )
  }
  const moveRule = (by: number) => place(at.value, at.value + by)

  /** A remark names the number of a place among all rules that run; shared ones are not moved. */
  function toNumber(id: string, number: number): void {
    const all = book.value?.rules ?? []
    void place(
      all.findIndex((item) => item.rule.id === id),
      Math.max(
        0,
        all.findIndex((item) => item.number >= number),
      ),
    )
  }

  const dragged = ref(-1)
  function drop(to: number): void {
    const from = dragged.value
    dragged.value = -1
    if (from >= 0 && from !== to) void place(from, to)
  }

  return { switchRule, remove, copyRule, moveRule, toNumber, dragged, drop }
}
