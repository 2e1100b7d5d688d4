import { api } from '@/api/client'
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import { useBlocks, type Wanted } from './blocks'

describe('blocks of records', () => {
  it('are asked for anew when something else is wanted, and stay when the same is said again', async () => {
    const page = { columns: [], files: [], total: 1, rows: [{ record: 1 }] }
    const get = vi.spyOn(api, 'GET').mockResolvedValue({ data: page, response: new Response() } as never)
    const base: Wanted = { delivery: 1, run: null, table: undefined, filters: [], sort: '', direction: 'up' }
    const wanted = ref(base)
    const isReady = ref(false)
    const { row } = useBlocks(wanted, isReady)
    await flushPromises()
    expect(get).toHaveBeenCalledTimes(0) // the table is still being made
    isReady.value = true
    await flushPromises()
    wanted.value = { ...base, filters: [] }
    await nextTick()
    expect(get).toHaveBeenCalledTimes(1)
    expect(row(0)).toBeDefined()
    wanted.value = { ...base, direction: 'down' }
    await nextTick()
    expect(row(0)).toBeUndefined()
    await flushPromises()
    expect(get).toHaveBeenCalledTimes(2)
    expect(row(0)).toBeDefined()
  })
})
