/** Addresses: any view can be sent to a colleague. */
import { createRouter, createWebHistory } from 'vue-router'
import { ActivityPage } from '@/features/activity'
import { DeliveryPage } from '@/features/delivery'
import { LineagePage, MadeFromPage } from '@/features/derived'
import { FeedPage, FeedsPage, SuppliersPage } from '@/features/feeds'
import { IntakePage } from '@/features/intake'
import { LibraryPage } from '@/features/library'
import { ProfilePage } from '@/features/profile'
import { QuarantineEverywherePage, QuarantinePage, RecordPage } from '@/features/quarantine'
import { InboxPage } from '@/features/inbox'
import { ReadersPage } from '@/features/readers'
import {
  ChangesPage,
  HistoryPage,
  PartsPage,
  ReleasePage,
  ReleasedTablePage,
  ReleasesPage,
} from '@/features/release'
import { RulesPage } from '@/features/rules'
import { CalendarPage, MemoryPage, NewsPage } from '@/features/news'
import { PeoplePage } from '@/features/people'
import { JoinPage, SignInPage } from '@/features/session'
import AppFrame from './AppFrame.vue'
import NotFoundPage from './NotFoundPage.vue'
import { guardUnsaved } from './unsaved'

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: SignInPage, meta: { title: 'Sign in' } },
    { path: '/join/:text', name: 'join', component: JoinPage, meta: { title: 'Join' } },
    {
      path: '/',
      component: AppFrame,
      children: [
        { path: '', name: 'feeds', component: FeedsPage, meta: { title: 'Feeds' } },
        { path: 'feeds/:slug', name: 'feed', component: FeedPage, meta: { title: 'Feed' } },
        {
          path: 'feeds/:slug/released',
          name: 'released',
          component: ReleasedTablePage,
          meta: { title: 'Released table' },
        },
        { path: 'feeds/:slug/parts', name: 'parts', component: PartsPage, meta: { title: 'Parts' } },
        {
          path: 'feeds/:slug/history',
          name: 'history',
          component: HistoryPage,
          meta: { title: 'History of releases' },
        },
        {
          path: 'feeds/:slug/lineage',
          name: 'lineage',
          component: LineagePage,
          meta: { title: 'Lineage' },
        },
        {
          path: 'feeds/:slug/made-from',
          name: 'made-from',
          component: MadeFromPage,
          meta: { title: 'Made from releases' },
        },
        { path: 'feeds/:slug/memory', name: 'memory', component: MemoryPage, meta: { title: 'Memory' } },
        {
          path: 'feeds/:slug/changes',
          name: 'changes',
          component: ChangesPage,
          meta: { title: 'What changed' },
        },
        {
          path: 'quarantine',
          name: 'quarantined',
          component: QuarantineEverywherePage,
          meta: { title: 'Quarantine' },
        },
        { path: 'calendar', name: 'calendar', component: CalendarPage, meta: { title: 'Calendar of feeds' } },
        { path: 'suppliers', name: 'suppliers', component: SuppliersPage, meta: { title: 'Suppliers' } },
        { path: 'inbox', name: 'inbox', component: InboxPage, meta: { title: 'Inbox' } },
        { path: 'releases', name: 'releases', component: ReleasesPage, meta: { title: 'Releases' } },
        { path: 'readers', name: 'readers', component: ReadersPage, meta: { title: 'Readers' } },
        { path: 'library', name: 'library', component: LibraryPage, meta: { title: 'Library' } },
        { path: 'people', name: 'people', component: PeoplePage, meta: { title: 'People' } },
        { path: 'activity', name: 'activity', component: ActivityPage, meta: { title: 'Activity' } },
        {
          path: 'deliveries/:id(\\d+)',
          component: DeliveryPage,
          children: [
            { path: '', redirect: (to) => ({ name: 'profile', params: to.params }) },
            { path: 'new', name: 'new', component: NewsPage, meta: { title: 'New' } },
            { path: 'intake', name: 'intake', component: IntakePage, meta: { title: 'Intake' } },
            { path: 'profile', name: 'profile', component: ProfilePage, meta: { title: 'Profile' } },
            { path: 'rules', name: 'rules', component: RulesPage, meta: { title: 'Rules' } },
            {
              path: 'quarantine',
              name: 'quarantine',
              component: QuarantinePage,
              meta: { title: 'Quarantine' },
            },
            {
              path: 'records/:record(\\d+)',
              name: 'record',
              component: RecordPage,
              meta: { title: 'Record' },
            },
            { path: 'release', name: 'release', component: ReleasePage, meta: { title: 'Release' } },
          ],
        },
        { path: ':rest(.*)*', name: 'not-found', component: NotFoundPage, meta: { title: 'Not found' } },
      ],
    },
  ],
})

guardUnsaved(router)
router.onError((error, to) => {
  // after an upgrade the parts of the former version are gone: the page is loaded anew
  if (/dynamically imported module|module script/i.test(String(error))) location.assign(to.fullPath)
})
/** The places of a delivery are reached by one key: all are there before it is pressed. */
const PLACES = [NewsPage, IntakePage, ProfilePage, RulesPage, QuarantinePage, ReleasePage]
router.afterEach((to) => {
  if (to.params.id) setTimeout(() => PLACES.forEach((load) => void load()), 300)
  document.title = `${String(to.meta.title ?? '')} · Pravin`
})
