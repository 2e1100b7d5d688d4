/** What component tests need of a page: an API that answers as said, the query client, a router. */
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import { vi } from 'vitest'
import type { Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'

export interface Asked {
  method: string
  path: string
  query: URLSearchParams
  body: unknown
}
export type Answers = Record<string, (asked: Asked) => unknown>

/** Let the API answer by "METHOD /path", at once or when a promise is kept; what is asked is noted, in order. What nobody answers is a 404. */
export function answering(answers: Answers): Asked[] {
  const noted: Asked[] = []
  vi.stubGlobal('fetch', async (request: Request) => {
    const { pathname: path, searchParams: query } = new URL(request.url, 'http://pravin')
    const text = await request.clone().text()
    const asked = { method: request.method, path, query, body: text ? JSON.parse(text) : undefined }
    noted.push(asked)
    const answer = answers[`${asked.method} ${path}`]
    const body = (await answer?.(asked)) ?? { status: 404, title: 'Not found', detail: path }
    return Response.json(body, { status: answer ? 200 : 404 })
  })
  return noted
}

/** Mount a component as on a page. */
export async function shown(component: Component, props: Record<string, unknown>, path = '/') {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/deliveries/:id/quarantine', name: 'quarantine', component: { template: '<i/>' } },
      { path: '/deliveries/:id/intake', name: 'intake', component: { template: '<i/>' } },
      { path: '/deliveries/:id/new', name: 'new', component: { template: '<i/>' } },
      { path: '/deliveries/:id/profile', name: 'profile', component: { template: '<i/>' } },
      { path: '/deliveries/:id/rules', name: 'rules', component: { template: '<i/>' } },
      { path: '/deliveries/:id/records/:record', name: 'record', component: { template: '<i/>' } },
      { path: '/deliveries/:id/release', name: 'release', component: { template: '<i/>' } },
      { path: '/feeds/:slug', name: 'feed', component: { template: '<i/>' } },
      { path: '/feeds/:slug/released', name: 'released', component: { template: '<i/>' } },
      { path: '/feeds/:slug/changes', name: 'changes', component: { template: '<i/>' } },
      { path: '/feeds/:slug/parts', name: 'parts', component: { template: '<i/>' } },
      { path: '/feeds/:slug/memory', name: 'memory', component: { template: '<i/>' } },
      { path: '/feeds/:slug/history', name: 'history', component: { template: '<i/>' } },
      { path: '/feeds/:slug/lineage', name: 'lineage', component: { template: '<i/>' } },
      { path: '/feeds/:slug/made-from', name: 'made-from', component: { template: '<i/>' } },
      { path: '/calendar', name: 'calendar', component: { template: '<i/>' } },
      { path: '/suppliers', name: 'suppliers', component: { template: '<i/>' } },
      { path: '/inbox', name: 'inbox', component: { template: '<i/>' } },
      { path: '/releases', name: 'releases', component: { template: '<i/>' } },
      { path: '/readers', name: 'readers', component: { template: '<i/>' } },
      { path: '/deliveries/:id', component: { template: '<i/>' } },
      { path: '/:rest(.*)*', name: 'library', component: { template: '<i/>' } },
    ],
  })
  await router.push(path)
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  const page = mount(component, {
    props,
    attachTo: document.body,
    global: { plugins: [router, [VueQueryPlugin, { queryClient }]] },
  })
  await flushPromises()
  return page
}
