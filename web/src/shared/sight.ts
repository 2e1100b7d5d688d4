import { nextTick, watch, type Ref } from 'vue'

type Shown = Readonly<Ref<HTMLElement | null | undefined>>

/** Bring the chosen line of a list (class `on`) in sight once it is drawn; the list moves no more than it must. */
export async function bringInSight(list: Shown): Promise<void> {
  await nextTick()
  list.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest' })
}

/** The same whenever another line is chosen. */
export function keepInSight(list: Shown, chosen: () => unknown): void {
  watch(chosen, () => bringInSight(list))
}
