/** Blocks of rows, fetched when they come into view and dropped when far away. */
import { api, unwrap, type Schemas } from '@/api/client'
import { ref, shallowReactive, watch, type Ref } from 'vue'
import type { Filter } from './filters'

export const BLOCK = 200
const KEPT = 30

export interface Wanted {
  delivery: number
  run: number | null
  table: number | undefined
  filters: Filter[]
  sort: string
  direction: 'up' | 'down'
}

export function useBlocks(wanted: Ref<Wanted>, isReady: Ref<boolean>) {
  const blocks = shallowReactive(new Map<number, Schemas['RecordOut'][]>())
  const inflight = new Map<number, AbortController>()
  const head = ref<Pick<Schemas['RecordsOut'], 'columns' | 'files' | 'total'>>()
  const error = ref<unknown>()
  const loading = ref(false)
  let range: [number, number] = [0, 0]
  let timer = 0

  async function fetchBlock(block: number): Promise<void> {
    const controller = new AbortController()
    inflight.set(block, controller)
    const { delivery, run, table, filters, sort, direction } = wanted.value
    const query = {
      run: run ?? undefined,
      table,
      where: JSON.stringify(filters),
      sort: sort || undefined,
      direction,
      offset: block * BLOCK,
      limit: BLOCK,
    }
    loading.value = true
    try {
      const params = { path: { delivery_id: delivery }, query }
      const page = await unwrap(
        api.GET('/api/deliveries/{delivery_id}/records', { params, signal: controller.signal }),
      )
      blocks.set(block, page.rows)
      head.value = { columns: page.columns, files: page.files, total: page.total }
      error.value = undefined
      drop(block)
    } catch (problem) {
      if ((problem as Error).name !== 'AbortError') error.value = problem
    } finally {
      if (inflight.get(block) === controller) inflight.delete(block)
      loading.value = inflight.size > 0
    }
  }

  function drop(near: number): void {
    for (const block of blocks.keys()) {
      if (blocks.size <= KEPT) return
      if (Math.abs(block - near) > KEPT / 3) blocks.delete(block)
    }
  }

  function load(): void {
    const [from, to] = [Math.floor(range[0] / BLOCK), Math.floor(Math.max(range[0], range[1]) / BLOCK)]
    for (const [block, controller] of inflight) {
      if (block < from - 1 || block > to + 1) {
        controller.abort()
        inflight.delete(block)
      }
    }
    for (let block = from; block <= to; block += 1) {
      if (!blocks.has(block) && !inflight.has(block)) void fetchBlock(block)
    }
  }

  /** Say which rows are in view. */
  function need(first: number, last: number): void {
    range = [first, last]
    clearTimeout(timer)
    timer = window.setTimeout(load, blocks.size ? 25 : 0)
  }

  function restart(): void {
    for (const controller of inflight.values()) controller.abort()
    inflight.clear()
    blocks.clear()
    range = [0, 0]
    void fetchBlock(0)
  }
  // by what it says: a delivery that is asked for again while work goes on is a new object that wants the same
  watch(
    () => (isReady.value ? JSON.stringify(wanted.value) : ''),
    (asked) => void (asked && restart()),
    { immediate: true },
  )

  const row = (index: number): Schemas['RecordOut'] | undefined =>
    blocks.get(Math.floor(index / BLOCK))?.[index % BLOCK]
  return { head, error, loading, need, row }
}
