import type { RouteRecordRaw } from 'vue-router'
import WeekView from '@/features/week/views/WeekView.vue'

export const weekRoutes: RouteRecordRaw[] = [
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
    path: '/combinations/new',
    name: 'new-combination',
    component: () => import('@/features/week/views/NewCombinationView.vue'),
    meta: { title: 'New combination', step: 'week', needs: 'combination.add' },
  },
]
