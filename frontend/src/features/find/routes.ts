import type { RouteRecordRaw } from 'vue-router'

export const findRoutes: RouteRecordRaw[] = [
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
    path: '/combinations/:id/drivers/:driver/accounts',
    name: 'accounts',
    component: () => import('@/features/find/views/AccountsView.vue'),
    props: true,
    meta: { title: 'Where every thousandth went', step: 'find' },
  },
  {
    path: '/combinations/:id/beside',
    name: 'beside',
    component: () => import('@/features/find/views/BesideView.vue'),
    props: true,
    meta: { title: 'Drivers side by side', step: 'find' },
  },
  {
    path: '/combinations/:id/traces',
    name: 'traces',
    component: () => import('@/features/find/views/TracesView.vue'),
    props: true,
    meta: { title: 'Traces', step: 'find' },
  },
]
