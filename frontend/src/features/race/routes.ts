import type { RouteRecordRaw } from 'vue-router'

export const raceRoutes: RouteRecordRaw[] = [
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
]
