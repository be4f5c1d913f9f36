import type { QueryClient } from '@tanstack/vue-query'
import { createRouter, createWebHistory, type Router } from 'vue-router'
import { Trouble, type Role } from '@/api/client'
import { whoIsThere } from '@/session'
import { loadAnew } from '@/renewal'
import WeekView from '@/views/WeekView.vue'

declare module 'vue-router' {
  interface RouteMeta {
    title: string
    /** For people who aren't signed in too. */
    open?: boolean
    /** For these roles alone. */
    roles?: Role[]
    /** The step of the work that it belongs to. */
    step?: string
  }
}

export function makeRouter(queries: QueryClient): Router {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: '/', name: 'week', component: WeekView, meta: { title: 'Week', step: 'week' } },
      { path: '/combinations', name: 'combinations', component: () => import('@/views/CombinationsView.vue'), meta: { title: 'Combinations', step: 'week' } },
      { path: '/seasons', name: 'seasons', component: () => import('@/views/SeasonsView.vue'), meta: { title: 'Seasons', step: 'week' } },
      { path: '/weeks/:id', name: 'series-week', component: () => import('@/views/SeriesWeekView.vue'), props: true, meta: { title: 'Week of a series', step: 'week' } },
      { path: '/cars', name: 'cars', component: () => import('@/views/CarsView.vue'), meta: { title: 'Cars', step: 'week' } },
      { path: '/cars/:id', name: 'car', component: () => import('@/views/CarView.vue'), props: true, meta: { title: 'Car', step: 'week' } },
      { path: '/team', name: 'team', component: () => import('@/views/TeamView.vue'), meta: { title: 'Team', step: 'week' } },
      { path: '/team/:id', name: 'driver-profile', component: () => import('@/views/ProfileView.vue'), props: true, meta: { title: 'Driver', step: 'week' } },
      { path: '/tracks', name: 'tracks', component: () => import('@/views/TracksView.vue'), meta: { title: 'Tracks', step: 'track' } },
      { path: '/tracks/find', name: 'find-layout', component: () => import('@/views/FindLayoutView.vue'), meta: { title: 'A layout from traces', step: 'track', roles: ['manager', 'coach'] } },
      { path: '/tracks/:id', name: 'track', component: () => import('@/views/TrackView.vue'), props: true, meta: { title: 'Layout', step: 'track' } },
      { path: '/tracks/:id/corners/:code', name: 'corner', component: () => import('@/views/CornerView.vue'), props: true, meta: { title: 'Corner', step: 'track' } },
      { path: '/tracks/:id/card', name: 'card', component: () => import('@/views/CardView.vue'), props: true, meta: { title: 'Reading card', step: 'track' } },
      { path: '/tracks/:id/boundaries', name: 'boundaries', component: () => import('@/views/BoundariesView.vue'), props: true, meta: { title: 'Boundaries', step: 'track', roles: ['manager', 'coach'] } },
      { path: '/drive', name: 'drive', component: () => import('@/views/GoView.vue'), props: { to: 'runs' }, meta: { title: 'Drive', step: 'drive' } },
      { path: '/find', name: 'find', component: () => import('@/views/GoView.vue'), props: { to: 'combination' }, meta: { title: 'Find', step: 'find' } },
      { path: '/combinations/new', name: 'new-combination', component: () => import('@/views/NewCombinationView.vue'), meta: { title: 'New combination', step: 'week', roles: ['manager', 'coach'] } },
      { path: '/combinations/:id', name: 'combination', component: () => import('@/views/CombinationView.vue'), props: true, meta: { title: 'Combination', step: 'find' } },
      { path: '/combinations/:id/drivers/:driver', name: 'driver-pace', component: () => import('@/views/DriverPaceView.vue'), props: true, meta: { title: 'Pace and consistency', step: 'find' } },
      { path: '/combinations/:id/beside', name: 'beside', component: () => import('@/views/BesideView.vue'), props: true, meta: { title: 'Drivers side by side', step: 'find' } },
      { path: '/fix', name: 'fix', component: () => import('@/views/GoView.vue'), props: { to: 'clinic' }, meta: { title: 'Fix', step: 'fix' } },
      { path: '/combinations/:id/clinic', name: 'clinic', component: () => import('@/views/ClinicView.vue'), props: true, meta: { title: 'Corner clinic', step: 'fix' } },
      { path: '/combinations/:id/drivers/:driver/clinic', name: 'driver-clinic', component: () => import('@/views/DriverClinicView.vue'), props: true, meta: { title: 'Corner clinic', step: 'fix' } },
      { path: '/combinations/:id/drivers/:driver/mistakes/:corner/:kind', name: 'mistake', component: () => import('@/views/MistakeView.vue'), props: true, meta: { title: 'Mistake', step: 'fix' } },
      { path: '/combinations/:id/drivers/:driver/card', name: 'card-of-three', component: () => import('@/views/CardOfThreeView.vue'), props: true, meta: { title: 'Card of three', step: 'fix' } },
      { path: '/setups', name: 'setups', component: () => import('@/views/SetupsView.vue'), meta: { title: 'Setups', step: 'fix' } },
      { path: '/exercises', name: 'exercises', component: () => import('@/views/ExercisesView.vue'), meta: { title: 'Exercises', step: 'fix' } },
      { path: '/combinations/:id/add-laps', name: 'add-laps', component: () => import('@/views/AddLapsView.vue'), props: true, meta: { title: 'Add laps', step: 'drive' } },
      { path: '/combinations/:id/runs', name: 'runs', component: () => import('@/views/RunsView.vue'), props: true, meta: { title: 'Runs', step: 'drive' } },
      { path: '/combinations/:id/declare', name: 'declare', component: () => import('@/views/DeclareView.vue'), props: true, meta: { title: 'Declare a run', step: 'drive' } },
      { path: '/combinations/:id/type', name: 'type-laps', component: () => import('@/views/TypeLapsView.vue'), props: true, meta: { title: 'Type laps', step: 'drive' } },
      { path: '/combinations/:id/time', name: 'time-laps', component: () => import('@/views/TimeLapsView.vue'), props: true, meta: { title: 'Time by hand', step: 'drive' } },
      { path: '/combinations/:id/sessions/:session/:driver/:run', name: 'run', component: () => import('@/views/RunView.vue'), props: true, meta: { title: 'Run', step: 'drive' } },
      { path: '/combinations/:id/telemetry', name: 'telemetry', component: () => import('@/views/TelemetryView.vue'), props: true, meta: { title: 'Telemetry', step: 'drive' } },
      { path: '/combinations/:id/traces', name: 'traces', component: () => import('@/views/TracesView.vue'), props: true, meta: { title: 'Traces', step: 'find' } },
      { path: '/plan', name: 'plan', component: () => import('@/views/PlanView.vue'), meta: { title: 'Plan', step: 'plan' } },
      { path: '/plan/rules', name: 'plan-rules', component: () => import('@/views/PlanRulesView.vue'), meta: { title: 'Rules of readiness and blocks', step: 'plan', roles: ['manager', 'coach'] } },
      { path: '/plan/lineup', name: 'lineup', component: () => import('@/views/LineupView.vue'), meta: { title: 'Who drives which race', step: 'plan', roles: ['manager', 'coach'] } },
      { path: '/outlook', name: 'outlook', component: () => import('@/views/OutlookView.vue'), meta: { title: 'Outlook', step: 'plan' } },
      { path: '/readiness', name: 'readiness', component: () => import('@/views/ReadinessView.vue'), meta: { title: 'Readiness', step: 'plan' } },
      { path: '/races', name: 'races', component: () => import('@/views/RacesView.vue'), meta: { title: 'Races ahead', step: 'race' } },
      { path: '/races/:id', name: 'race', component: () => import('@/views/RaceView.vue'), props: true, meta: { title: 'Race', step: 'race' } },
      { path: '/races/:id/sheet', name: 'race-sheet', component: () => import('@/views/RaceSheetView.vue'), props: true, meta: { title: 'Race sheet', step: 'race' } },
      { path: '/races/:id/debrief', name: 'debrief', component: () => import('@/views/DebriefView.vue'), props: true, meta: { title: 'Debrief', step: 'log' } },
      { path: '/log', name: 'log', component: () => import('@/views/ResultsView.vue'), meta: { title: 'Races behind', step: 'log' } },
      { path: '/log/learned', name: 'learned', component: () => import('@/views/LessonsView.vue'), meta: { title: 'Learned', step: 'log' } },
      { path: '/log/written', name: 'written', component: () => import('@/views/WrittenView.vue'), meta: { title: 'All that was written', step: 'log' } },
      { path: '/log/books', name: 'books', component: () => import('@/views/BooksView.vue'), meta: { title: 'Seasons of drivers', step: 'log' } },
      { path: '/log/books/:driver', name: 'book', component: () => import('@/views/SeasonBookView.vue'), props: true, meta: { title: 'A driver’s season', step: 'log' } },
      { path: '/live', name: 'live', component: () => import('@/views/LiveView.vue'), meta: { title: 'Live', step: 'drive' } },
      { path: '/people', name: 'people', component: () => import('@/views/PeopleView.vue'), meta: { title: 'People', roles: ['manager', 'coach'] } },
      { path: '/history', name: 'history', component: () => import('@/views/HistoryView.vue'), meta: { title: 'History' } },
      { path: '/jobs', name: 'jobs', component: () => import('@/views/JobsView.vue'), meta: { title: 'Background work' } },
      { path: '/account', name: 'account', component: () => import('@/views/AccountView.vue'), meta: { title: 'Your account' } },
      { path: '/sign-in', name: 'sign-in', component: () => import('@/views/SignInView.vue'), meta: { title: 'Sign in', open: true } },
      { path: '/welcome', name: 'welcome', component: () => import('@/views/WelcomeView.vue'), meta: { title: 'Welcome', open: true } },
      { path: '/:path(.*)*', name: 'nowhere', component: () => import('@/views/NowhereView.vue'), meta: { title: 'Nothing here' } },
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
      return !to.meta.roles || to.meta.roles.includes(me.role) ? true : { name: 'nowhere', params: { path: ['not-for-this-role'] } }
    } catch (error) {
      // A server that doesn't answer is told on the page itself; who isn't signed in is asked to.
      return error instanceof Trouble && [401, 403].includes(error.status) ? { name: 'sign-in', query: to.fullPath === '/' ? {} : { to: to.fullPath } } : true
    }
  })
  router.afterEach((to) => {
    document.title = `${to.meta.title} · Fleet Rival`
  })
  return router
}
