import type { QueryClient } from '@tanstack/vue-query'
import { createRouter, createWebHistory, type Router } from 'vue-router'
import { Trouble } from '@/shared/api/client'
import { whoIsThere, type Permission } from '@/shared/session'
import { loadAnew } from '@/shared/renewal'
import { weekRoutes } from '@/features/week/routes'
import { trackRoutes } from '@/features/track/routes'
import { findRoutes } from '@/features/find/routes'
import { fixRoutes } from '@/features/fix/routes'
import { driveRoutes } from '@/features/drive/routes'
import { planRoutes } from '@/features/plan/routes'
import { raceRoutes } from '@/features/race/routes'
import { logRoutes } from '@/features/log/routes'
import { peopleRoutes } from '@/features/people/routes'

declare module 'vue-router' {
  interface RouteMeta {
    title: string
    /** For people who aren't signed in too. */
    open?: boolean
    /** What somebody's role must allow to see it. */
    needs?: Permission
    /** The step of the work that it belongs to. */
    step?: string
  }
}

export function makeRouter(queries: QueryClient): Router {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      ...weekRoutes,
      ...trackRoutes,
      ...findRoutes,
      ...fixRoutes,
      ...driveRoutes,
      ...planRoutes,
      ...raceRoutes,
      ...logRoutes,
      ...peopleRoutes,
      {
        path: '/drive',
        name: 'drive',
        component: () => import('@/shared/views/GoView.vue'),
        props: { to: 'runs' },
        meta: { title: 'Drive', step: 'drive' },
      },
      {
        path: '/find',
        name: 'find',
        component: () => import('@/shared/views/GoView.vue'),
        props: { to: 'combination' },
        meta: { title: 'Find', step: 'find' },
      },
      {
        path: '/fix',
        name: 'fix',
        component: () => import('@/shared/views/GoView.vue'),
        props: { to: 'clinic' },
        meta: { title: 'Fix', step: 'fix' },
      },
      {
        path: '/history',
        name: 'history',
        component: () => import('@/shared/views/HistoryView.vue'),
        meta: { title: 'History' },
      },
      {
        path: '/jobs',
        name: 'jobs',
        component: () => import('@/shared/views/JobsView.vue'),
        meta: { title: 'Background work' },
      },
      {
        path: '/:path(.*)*',
        name: 'nowhere',
        component: () => import('@/shared/views/NowhereView.vue'),
        meta: { title: 'Nothing here' },
      },
    ],
    scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
  })
  // A page whose part is gone belongs to an earlier version: the whole is loaded anew, once, and goes where it was to go.
  router.onError((error: Error, to) => {
    if (/dynamically imported module|importing a module|preload/i.test(error.message)) void loadAnew(to.fullPath)
  })
  router.beforeEach(async (to) => {
    if (to.meta.open) return true
    // The page's own code is fetched meanwhile.
    const view = to.matched.at(-1)?.components?.default
    if (typeof view === 'function' && !('__vccOpts' in view)) Promise.resolve((view as () => unknown)()).catch(() => {})
    try {
      const me = await whoIsThere(queries)
      return !to.meta.needs || me.may.includes(to.meta.needs)
        ? true
        : { name: 'nowhere', params: { path: ['not-for-this-role'] } }
    } catch (error) {
      // A server that doesn't answer is told on the page itself; who isn't signed in is asked to.
      return error instanceof Trouble && [401, 403].includes(error.status)
        ? { name: 'sign-in', query: to.fullPath === '/' ? {} : { to: to.fullPath } }
        : true
    }
  })
  router.afterEach((to) => {
    document.title = `${to.meta.title} · Fleet Rival`
  })
  return router
}
