import type { RouteRecordRaw } from 'vue-router'

export const peopleRoutes: RouteRecordRaw[] = [
  {
    path: '/people',
    name: 'people',
    component: () => import('@/features/people/views/PeopleView.vue'),
    meta: { title: 'People', needs: 'driver.change' },
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
]
