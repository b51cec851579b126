import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'today', component: () => import('./views/TodayView.vue'), meta: { title: 'Today' } },
    { path: '/me', name: 'me', component: () => import('./views/MeView.vue'), meta: { title: 'Me' } },
    { path: '/bench', name: 'bench', component: () => import('./views/BenchList.vue'), meta: { title: 'Bench' } },
    {
      path: '/bench/:id',
      name: 'run',
      component: () => import('./views/BenchView.vue'),
      props: true,
      meta: { title: 'Bench' },
    },
    {
      path: '/equipment',
      name: 'equipment',
      component: () => import('./views/EquipmentView.vue'),
      meta: { title: 'Equipment' },
    },
    {
      path: '/equipment/:id',
      name: 'device',
      component: () => import('./views/DeviceView.vue'),
      props: true,
      meta: { title: 'Equipment' },
    },
    {
      path: '/references',
      name: 'references',
      component: () => import('./views/ReferencesView.vue'),
      meta: { title: 'References' },
    },
    {
      path: '/references/instruments/:id?',
      name: 'instruments',
      component: () => import('./views/InstrumentsView.vue'),
      props: true,
      meta: { title: 'References' },
    },
    {
      path: '/references/:id',
      name: 'reference',
      component: () => import('./views/ReferenceView.vue'),
      props: true,
      meta: { title: 'References' },
    },
    {
      path: '/workings/:tool?',
      name: 'workings',
      component: () => import('./views/WorkingsView.vue'),
      props: true,
      meta: { title: 'Workings' },
    },
    {
      path: '/control/:asset?/:analyte?',
      name: 'control',
      component: () => import('./views/ControlView.vue'),
      props: true,
      meta: { title: 'Control' },
    },
    {
      path: '/look-back/:id?',
      name: 'look-back',
      component: () => import('./views/LookBackView.vue'),
      props: true,
      meta: { title: 'Look-back' },
    },
    {
      path: '/guide/:page?',
      name: 'guide',
      component: () => import('./views/GuideView.vue'),
      props: true,
      meta: { title: 'Guide' },
    },
    {
      path: '/safety/:id?',
      name: 'safety',
      component: () => import('./views/SafetyView.vue'),
      props: true,
      meta: { title: 'Safety notices' },
    },
    {
      path: '/intervals',
      name: 'intervals',
      component: () => import('./views/IntervalsView.vue'),
      meta: { title: 'Intervals' },
    },
    {
      path: '/rounds/:day?',
      name: 'rounds',
      component: () => import('./views/RoundsView.vue'),
      props: true,
      meta: { title: 'Rounds' },
    },
    {
      path: '/reports',
      name: 'reports',
      component: () => import('./views/ReportsView.vue'),
      meta: { title: 'Reports' },
    },
    { path: '/begin', name: 'begin', component: () => import('./views/BeginView.vue'), meta: { title: 'First steps' } },
    {
      path: '/procedures/:id',
      name: 'procedure',
      component: () => import('./views/ProcedureView.vue'),
      props: true,
      meta: { title: 'Procedures' },
    },
    {
      path: '/drafts/:id',
      name: 'draft',
      component: () => import('./views/DraftView.vue'),
      props: true,
      meta: { title: 'Procedures' },
    },
    {
      path: '/house/:sheet?',
      name: 'house',
      component: () => import('./views/HouseView.vue'),
      props: true,
      meta: { title: 'House' },
    },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./views/NowhereView.vue') },
  ],
})

router.afterEach((to) => {
  document.title = to.meta.title ? `${to.meta.title} · North Needle` : 'North Needle'
})
