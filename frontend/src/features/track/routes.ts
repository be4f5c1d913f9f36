import type { RouteRecordRaw } from 'vue-router'

export const trackRoutes: RouteRecordRaw[] = [
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
]
