import { createRouter, createWebHistory } from 'vue-router'

import TitlesPage from './pages/titles/TitlesPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/titles' },
    { path: '/titles', component: TitlesPage, meta: { title: 'Titles' } },
    {
      path: '/titles/:id',
      component: () => import('./pages/titles/TitlePage.vue'),
      props: true,
      meta: { title: 'Title' },
    },
    {
      path: '/reviews',
      component: () => import('./pages/reviews/ReviewsPage.vue'),
      meta: { title: 'Reviews' },
    },
    {
      path: '/reviews/:number(\\d+)',
      component: () => import('./pages/reviews/ContributionPage.vue'),
      props: (to) => ({ number: Number(to.params.number) }),
      meta: { title: 'Contribution' },
    },
    {
      path: '/workbench',
      component: () => import('./pages/workbench/WorkbenchPage.vue'),
      meta: { title: 'Workbench' },
    },
    {
      path: '/reviews/:number(\\d+)/workbench',
      component: () => import('./pages/workbench/BenchView.vue'),
      props: (to) => ({ number: Number(to.params.number) }),
      meta: { title: 'Workbench' },
    },
    {
      path: '/launchers',
      component: () => import('./pages/launchers/LaunchersPage.vue'),
      meta: { title: 'Launchers' },
    },
    {
      path: '/launchers/:id',
      component: () => import('./pages/launchers/LauncherPage.vue'),
      props: true,
      meta: { title: 'Launcher' },
    },
    {
      path: '/revisions',
      component: () => import('./pages/revisions/RevisionsPage.vue'),
      meta: { title: 'Revisions' },
    },
    {
      path: '/sign-in',
      component: () => import('./pages/session/SignInPage.vue'),
      meta: { title: 'Sign in' },
    },
    {
      path: '/:rest(.*)*',
      component: () => import('./pages/MissingPage.vue'),
      meta: { title: 'No such page' },
    },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
})

router.afterEach((to, from) => {
  document.title = `${to.meta.title as string} · Endroit`
  // Who reads by ear or keyboard begins at the new page's content.
  if (from.matched.length && to.path !== from.path)
    document.getElementById('content')?.focus({ preventScroll: true })
})
