import type { RouteRecordRaw } from 'vue-router'

export const logRoutes: RouteRecordRaw[] = [
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
]
