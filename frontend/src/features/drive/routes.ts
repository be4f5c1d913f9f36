import type { RouteRecordRaw } from 'vue-router'

export const driveRoutes: RouteRecordRaw[] = [
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
    path: '/live',
    name: 'live',
    component: () => import('@/features/drive/views/LiveView.vue'),
    meta: { title: 'Live', step: 'drive' },
  },
]
