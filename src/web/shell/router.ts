import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './session'

export const PLACES = [
  { path: '/', title: 'Today', key: 't' },
  { path: '/logons', title: 'Logons', key: 'l' },
  { path: '/people', title: 'People', key: 'p' },
  { path: '/containers', title: 'Containers', key: 'c' },
  { path: '/policies', title: 'Policies', key: 'o' },
  { path: '/pools', title: 'Pools', key: 'h' },
  { path: '/journal', title: 'Journal', key: 'j' },
] as const

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/sign-in', component: () => import('../admins/SignInPage.vue'), meta: { open: true, title: 'Sign in' } },
    { path: '/first', component: () => import('../admins/FirstPage.vue'), meta: { open: true, title: 'The first account' } },
    { path: '/access', component: () => import('../admins/AccessPage.vue'), meta: { title: 'Accounts and tokens' } },
    { path: '/', component: () => import('../logons/TodayPage.vue'), meta: { title: 'Today' } },
    { path: '/logons', component: () => import('../logons/LogonsPage.vue'), meta: { title: 'Logons' } },
    { path: '/logons/sources', component: () => import('../logons/SourcesPage.vue'), meta: { title: 'What events mean', view: '/logons/sources' } },
    {
      path: '/logons/pictures',
      component: () => import('../logons/PicturesPage.vue'),
      meta: { title: 'Logons as pictures', view: '/logons/pictures' },
    },
    { path: '/logons/compare', component: () => import('../logons/ComparePage.vue'), meta: { title: 'Compared', view: '/logons/compare' } },
    { path: '/logons/:id', component: () => import('../logons/StoryPage.vue'), props: true, meta: { title: 'The story of a logon' } },
    { path: '/incidents/:id', component: () => import('../logons/IncidentPage.vue'), props: true, meta: { place: '/', title: 'An incident' } },
    { path: '/people', component: () => import('../people/PeoplePage.vue'), meta: { title: 'People' } },
    { path: '/people/:id', component: () => import('../people/PersonPage.vue'), props: true, meta: { title: 'Person' } },
    { path: '/containers', component: () => import('../containers/ContainersPage.vue'), meta: { title: 'Containers' } },
    { path: '/shares/:id', component: () => import('../containers/SharePage.vue'), props: true, meta: { place: '/containers', title: 'A share' } },
    { path: '/room', component: () => import('../containers/RoomPage.vue'), meta: { place: '/containers', title: 'Room on the shares' } },
    { path: '/loss', component: () => import('../containers/LossPage.vue'), meta: { place: '/containers', title: 'If a share is lost' } },
    { path: '/inside', component: () => import('../files/InsidePage.vue'), meta: { place: '/containers', title: 'What is in them' } },
    { path: '/file-roaming', component: () => import('../files/RoamingPage.vue'), meta: { place: '/policies', title: 'File roaming' } },
    { path: '/set-aside', component: () => import('../containers/SetAsidePage.vue'), meta: { place: '/containers', title: 'Set aside' } },
    { path: '/containers/:id', component: () => import('../containers/ContainerPage.vue'), props: true, meta: { title: 'A container' } },
    { path: '/policies', component: () => import('../policies/PoliciesPage.vue'), meta: { title: 'Policies' } },
    { path: '/policies/base', component: () => import('../policies/BasePage.vue'), meta: { title: 'The base policy' } },
    {
      path: '/policies/order/:id',
      component: () => import('../policies/PolicyPage.vue'),
      props: true,
      meta: { title: 'A policy', view: '/policies' },
    },
    { path: '/policies/try', component: () => import('../policies/TryPage.vue'), meta: { title: 'Try it' } },
    { path: '/policies/promises', component: () => import('../policies/PromisesPage.vue'), meta: { title: 'Promises and health' } },
    { path: '/policies/limits', component: () => import('../policies/LimitsPage.vue'), meta: { title: 'Time limits' } },
    { path: '/policies/lines', component: () => import('../policies/LinesPage.vue'), meta: { title: 'Lines' } },
    { path: '/policies/proof', component: () => import('../policies/ProofPage.vue'), meta: { title: 'In force' } },
    { path: '/policies/publish', component: () => import('../policies/PublishPage.vue'), meta: { title: 'Publish and versions' } },
    { path: '/pools', component: () => import('../pools/PoolsPage.vue'), meta: { title: 'Pools' } },
    { path: '/journal', component: () => import('../journal/JournalPage.vue'), meta: { title: 'Journal' } },
    { path: '/journal/changes', component: () => import('../journal/ChangesPage.vue'), meta: { title: 'Changes' } },
    { path: '/:rest(.*)*', component: () => import('./NothingHere.vue'), meta: { title: 'Nothing here' } },
  ],
})

router.beforeEach(async (to, from) => {
  if (!to.meta['open'] && !(await useSession().ask())) return { path: '/sign-in', query: to.fullPath === '/' ? {} : { then: to.fullPath } }
  // The time window goes along from place to place.
  if (from.query['window'] && to.query['window'] === undefined && from.path !== to.path)
    return { ...to, query: { ...to.query, window: from.query['window'] } }
  return true
})
router.afterEach((to) => {
  document.title = `${String(to.meta['title'])} · Ikebana`
})
