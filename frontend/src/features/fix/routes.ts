import type { RouteRecordRaw } from 'vue-router'

export const fixRoutes: RouteRecordRaw[] = [
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
]
