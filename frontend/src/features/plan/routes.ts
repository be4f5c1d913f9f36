import type { RouteRecordRaw } from 'vue-router'

export const planRoutes: RouteRecordRaw[] = [
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
    meta: { title: 'Rules of readiness and plans', step: 'plan', needs: 'plan.make' },
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
]
