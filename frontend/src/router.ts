import { createRouter, createWebHistory } from 'vue-router'
import WeekView from '@/views/WeekView.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'week', component: WeekView, meta: { title: 'Week' } },
    { path: '/combinations/new', name: 'new-combination', component: () => import('@/views/NewCombinationView.vue'), meta: { title: 'New combination' } },
    { path: '/combinations/:id', name: 'combination', component: () => import('@/views/CombinationView.vue'), props: true, meta: { title: 'Combination' } },
    { path: '/combinations/:id/add-laps', name: 'add-laps', component: () => import('@/views/AddLapsView.vue'), props: true, meta: { title: 'Add laps' } },
    { path: '/:path(.*)*', name: 'nowhere', component: () => import('@/views/NowhereView.vue'), meta: { title: 'Nothing here' } },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
})

router.afterEach((to) => {
  document.title = `${String(to.meta.title)} · Fleet Rival`
})
