/** Every place has an address: a policy, a rule in it, a question. */
import { createRouter, createWebHistory } from 'vue-router'
import { mayLeave } from './state/unsaved'
import { useSession } from './state/session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: () => import('./views/SignIn.vue') },
    { path: '/', name: 'start', component: () => import('./views/Start.vue') },
    { path: '/people', name: 'people', component: () => import('./views/People.vue') },
    {
      path: '/networks/:network(\\d+)',
      component: () => import('./views/Frame.vue'),
      children: [
        { path: '', name: 'network', redirect: (to) => ({ name: 'rules', params: to.params }) },
        { path: 'ground/:thing(\\d+)?', name: 'ground', component: () => import('./views/Ground.vue') },
        {
          path: 'schedules/:schedule(\\d+)?',
          name: 'schedules',
          component: () => import('./views/Schedules.vue'),
        },
        { path: 'names/:name(\\d+)?', name: 'names', component: () => import('./views/Names.vue') },
        { path: 'policies', name: 'policies', component: () => import('./views/Policies.vue') },
        { path: 'verify/:policy(\\d+)?', name: 'verify', component: () => import('./views/Verify.vue') },
        {
          path: 'editions/:part(review|release|audit)?',
          name: 'editions',
          component: () => import('./views/Editions.vue'),
        },
        { path: 'findings', name: 'findings', component: () => import('./views/Findings.vue') },
        { path: 'rules/:policy(\\d+)?', name: 'rules', component: () => import('./views/Rules.vue') },
      ],
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

router.beforeEach(async (to, from) => {
  if (to.path !== from.path && !mayLeave()) return false
  const signedIn = await useSession().restore()
  if (!signedIn && to.name !== 'sign-in') return { name: 'sign-in', query: { to: to.fullPath } }
  if (signedIn && to.name === 'sign-in') return { path: '/' }
  // Somebody else knows this password: it is changed first of all.
  if (signedIn && useSession().me?.given && to.name !== 'people') return { name: 'people' }
  return true
})
