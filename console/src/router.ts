import { createRouter, createWebHistory } from 'vue-router'

import ContributionPage from './pages/ContributionPage.vue'
import LauncherPage from './pages/LauncherPage.vue'
import LaunchersPage from './pages/LaunchersPage.vue'
import MissingPage from './pages/MissingPage.vue'
import ReviewsPage from './pages/ReviewsPage.vue'
import RevisionsPage from './pages/RevisionsPage.vue'
import SignInPage from './pages/SignInPage.vue'
import TitlePage from './pages/TitlePage.vue'
import TitlesPage from './pages/TitlesPage.vue'
import WorkbenchPage from './pages/WorkbenchPage.vue'
import BenchView from './components/BenchView.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/titles' },
    { path: '/titles', component: TitlesPage, meta: { title: 'Titles' } },
    { path: '/titles/:id', component: TitlePage, props: true, meta: { title: 'Title' } },
    { path: '/reviews', component: ReviewsPage, meta: { title: 'Reviews' } },
    {
      path: '/reviews/:number(\\d+)',
      component: ContributionPage,
      props: (to) => ({ number: Number(to.params.number) }),
      meta: { title: 'Contribution' },
    },
    { path: '/workbench', component: WorkbenchPage, meta: { title: 'Workbench' } },
    {
      path: '/reviews/:number(\\d+)/workbench',
      component: BenchView,
      props: (to) => ({ number: Number(to.params.number) }),
      meta: { title: 'Workbench' },
    },
    { path: '/launchers', component: LaunchersPage, meta: { title: 'Launchers' } },
    { path: '/launchers/:id', component: LauncherPage, props: true, meta: { title: 'Launcher' } },
    { path: '/revisions', component: RevisionsPage, meta: { title: 'Revisions' } },
    { path: '/sign-in', component: SignInPage, meta: { title: 'Sign in' } },
    { path: '/:rest(.*)*', component: MissingPage, meta: { title: 'No such page' } },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
})

router.afterEach((to) => {
  document.title = `${to.meta.title as string} · Endroit`
})
