import type { QueryClient } from '@tanstack/vue-query'
import { createRouter, createWebHistory, type Router } from 'vue-router'
import { Trouble } from '@/shared/api/client'
import { whoIsThere, type Permission } from '@/shared/session'
import { loadAnew } from '@/shared/renewal'
import WeekView from '@/features/week/views/WeekView.vue'

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
      { path: '/', name: 'week', component: WeekView, meta: { title: 'Week', step: 'week' } },
      {
        path: '/combinations',
        name: 'combinations',
        component: () => import('@/features/week/views/CombinationsView.vue'),
        meta: { title: 'Combinations', step: 'week' },
      },
      {
        path: '/seasons',
        name: 'seasons',
        component: () => import('@/features/week/views/SeasonsView.vue'),
        meta: { title: 'Seasons', step: 'week' },
      },
      {
        path: '/weeks/:id',
        name: 'series-week',
        component: () => import('@/features/week/views/SeriesWeekView.vue'),
        props: true,
        meta: { title: 'Week of a series', step: 'week' },
      },
      {
        path: '/cars',
        name: 'cars',
        component: () => import('@/features/week/views/CarsView.vue'),
        meta: { title: 'Cars', step: 'week' },
      },
      {
        path: '/cars/:id',
        name: 'car',
        component: () => import('@/features/week/views/CarView.vue'),
        props: true,
        meta: { title: 'Car', step: 'week' },
      },
      {
        path: '/team',
        name: 'team',
        component: () => import('@/features/week/views/TeamView.vue'),
        meta: { title: 'Team', step: 'week' },
      },
      {
        path: '/team/:id',
        name: 'driver-profile',
        component: () => import('@/features/week/views/ProfileView.vue'),
        props: true,
        meta: { title: 'Driver', step: 'week' },
      },
      {
        path: '/tracks',
        name: 'tracks',
        component: () => import('@/features/track/views/TracksView.vue'),
        meta: { title: 'Tracks', step: 'track' },
      },
      {
        path: '/tracks/find',
        name: 'find-layout',
        component: () => import('@/features/track/views/FindLayoutView.vue'),
        meta: { title: 'A layout from traces', step: 'track', needs: 'track.add' },
      },
      {
        path: '/tracks/:id',
        name: 'track',
        component: () => import('@/features/track/views/TrackView.vue'),
        props: true,
        meta: { title: 'Layout', step: 'track' },
      },
      {
        path: '/tracks/:id/corners/:code',
        name: 'corner',
        component: () => import('@/features/track/views/CornerView.vue'),
        props: true,
        meta: { title: 'Corner', step: 'track' },
      },
      {
        path: '/tracks/:id/card',
        name: 'card',
        component: () => import('@/features/track/views/CardView.vue'),
        props: true,
        meta: { title: 'Reading card', step: 'track' },
      },
      {
        path: '/tracks/:id/boundaries',
        name: 'boundaries',
        component: () => import('@/features/track/views/BoundariesView.vue'),
        props: true,
        meta: { title: 'Boundaries', step: 'track', needs: 'track.boundaries' },
      },
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
        path: '/combinations/new',
        name: 'new-combination',
        component: () => import('@/features/week/views/NewCombinationView.vue'),
        meta: { title: 'New combination', step: 'week', needs: 'combination.add' },
      },
      {
        path: '/combinations/:id',
        name: 'combination',
        component: () => import('@/features/find/views/CombinationView.vue'),
        props: true,
        meta: { title: 'Combination', step: 'find' },
      },
      {
        path: '/combinations/:id/drivers/:driver',
        name: 'driver-pace',
        component: () => import('@/features/find/views/DriverPaceView.vue'),
        props: true,
        meta: { title: 'Pace and consistency', step: 'find' },
      },
      {
        path: '/combinations/:id/beside',
        name: 'beside',
        component: () => import('@/features/find/views/BesideView.vue'),
        props: true,
        meta: { title: 'Drivers side by side', step: 'find' },
      },
      {
        path: '/fix',
        name: 'fix',
        component: () => import('@/shared/views/GoView.vue'),
        props: { to: 'clinic' },
        meta: { title: 'Fix', step: 'fix' },
      },
      {
        path: '/combinations/:id/clinic',
        name: 'clinic',
        component: () => import('@/features/fix/views/ClinicView.vue'),
        props: true,
        meta: { title: 'Corner clinic', step: 'fix' },
      },
      {
        path: '/combinations/:id/drivers/:driver/clinic',
        name: 'driver-clinic',
        component: () => import('@/features/fix/views/DriverClinicView.vue'),
        props: true,
        meta: { title: 'Corner clinic', step: 'fix' },
      },
      {
        path: '/combinations/:id/drivers/:driver/mistakes/:corner/:kind',
        name: 'mistake',
        component: () => import('@/features/fix/views/MistakeView.vue'),
        props: true,
        meta: { title: 'Mistake', step: 'fix' },
      },
      {
        path: '/combinations/:id/drivers/:driver/card',
        name: 'card-of-three',
        component: () => import('@/features/fix/views/CardOfThreeView.vue'),
        props: true,
        meta: { title: 'Card of three', step: 'fix' },
      },
      {
        path: '/setups',
        name: 'setups',
        component: () => import('@/features/fix/views/SetupsView.vue'),
        meta: { title: 'Setups', step: 'fix' },
      },
      {
        path: '/exercises',
        name: 'exercises',
        component: () => import('@/features/fix/views/ExercisesView.vue'),
        meta: { title: 'Exercises', step: 'fix' },
      },
      {
        path: '/combinations/:id/add-laps',
        name: 'add-laps',
        component: () => import('@/features/drive/views/AddLapsView.vue'),
        props: true,
        meta: { title: 'Add laps', step: 'drive' },
      },
      {
        path: '/combinations/:id/runs',
        name: 'runs',
        component: () => import('@/features/drive/views/RunsView.vue'),
        props: true,
        meta: { title: 'Runs', step: 'drive' },
      },
      {
        path: '/combinations/:id/declare',
        name: 'declare',
        component: () => import('@/features/drive/views/DeclareView.vue'),
        props: true,
        meta: { title: 'Declare a run', step: 'drive' },
      },
      {
        path: '/combinations/:id/type',
        name: 'type-laps',
        component: () => import('@/features/drive/views/TypeLapsView.vue'),
        props: true,
        meta: { title: 'Type laps', step: 'drive' },
      },
      {
        path: '/combinations/:id/time',
        name: 'time-laps',
        component: () => import('@/features/drive/views/TimeLapsView.vue'),
        props: true,
        meta: { title: 'Time by hand', step: 'drive' },
      },
      {
        path: '/combinations/:id/sessions/:session/:driver/:run',
        name: 'run',
        component: () => import('@/features/drive/views/RunView.vue'),
        props: true,
        meta: { title: 'Run', step: 'drive' },
      },
      {
        path: '/combinations/:id/telemetry',
        name: 'telemetry',
        component: () => import('@/features/drive/views/TelemetryView.vue'),
        props: true,
        meta: { title: 'Telemetry', step: 'drive' },
      },
      {
        path: '/combinations/:id/traces',
        name: 'traces',
        component: () => import('@/features/find/views/TracesView.vue'),
        props: true,
        meta: { title: 'Traces', step: 'find' },
      },
      {
        path: '/plan',
        name: 'plan',
        component: () => import('@/features/plan/views/PlanView.vue'),
        meta: { title: 'Plan', step: 'plan' },
      },
      {
        path: '/plan/rules',
        name: 'plan-rules',
        component: () => import('@/features/plan/views/PlanRulesView.vue'),
        meta: { title: 'Rules of readiness and blocks', step: 'plan', needs: 'plan.make' },
      },
      {
        path: '/plan/lineup',
        name: 'lineup',
        component: () => import('@/features/plan/views/LineupView.vue'),
        meta: { title: 'Who drives which race', step: 'plan', needs: 'plan.make' },
      },
      {
        path: '/outlook',
        name: 'outlook',
        component: () => import('@/features/plan/views/OutlookView.vue'),
        meta: { title: 'Outlook', step: 'plan' },
      },
      {
        path: '/readiness',
        name: 'readiness',
        component: () => import('@/features/plan/views/ReadinessView.vue'),
        meta: { title: 'Readiness', step: 'plan' },
      },
      {
        path: '/races',
        name: 'races',
        component: () => import('@/features/race/views/RacesView.vue'),
        meta: { title: 'Races ahead', step: 'race' },
      },
      {
        path: '/races/:id',
        name: 'race',
        component: () => import('@/features/race/views/RaceView.vue'),
        props: true,
        meta: { title: 'Race', step: 'race' },
      },
      {
        path: '/races/:id/sheet',
        name: 'race-sheet',
        component: () => import('@/features/race/views/RaceSheetView.vue'),
        props: true,
        meta: { title: 'Race sheet', step: 'race' },
      },
      {
        path: '/races/:id/debrief',
        name: 'debrief',
        component: () => import('@/features/log/views/DebriefView.vue'),
        props: true,
        meta: { title: 'Debrief', step: 'log' },
      },
      {
        path: '/log',
        name: 'log',
        component: () => import('@/features/log/views/ResultsView.vue'),
        meta: { title: 'Races behind', step: 'log' },
      },
      {
        path: '/log/learned',
        name: 'learned',
        component: () => import('@/features/log/views/LessonsView.vue'),
        meta: { title: 'Learned', step: 'log' },
      },
      {
        path: '/log/written',
        name: 'written',
        component: () => import('@/features/log/views/WrittenView.vue'),
        meta: { title: 'All that was written', step: 'log' },
      },
      {
        path: '/log/books',
        name: 'books',
        component: () => import('@/features/log/views/BooksView.vue'),
        meta: { title: 'Seasons of drivers', step: 'log' },
      },
      {
        path: '/log/books/:driver',
        name: 'book',
        component: () => import('@/features/log/views/SeasonBookView.vue'),
        props: true,
        meta: { title: 'A driver’s season', step: 'log' },
      },
      {
        path: '/live',
        name: 'live',
        component: () => import('@/features/drive/views/LiveView.vue'),
        meta: { title: 'Live', step: 'drive' },
      },
      {
        path: '/people',
        name: 'people',
        component: () => import('@/features/people/views/PeopleView.vue'),
        meta: { title: 'People', needs: 'driver.change' },
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
        path: '/account',
        name: 'account',
        component: () => import('@/features/people/views/AccountView.vue'),
        meta: { title: 'Your account' },
      },
      {
        path: '/sign-in',
        name: 'sign-in',
        component: () => import('@/features/people/views/SignInView.vue'),
        meta: { title: 'Sign in', open: true },
      },
      {
        path: '/welcome',
        name: 'welcome',
        component: () => import('@/features/people/views/WelcomeView.vue'),
        meta: { title: 'Welcome', open: true },
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
