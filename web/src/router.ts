/** Every place has an address: a policy, a rule in it, a question. */
import { createRouter, createWebHistory } from 'vue-router'
import { mayLeave } from '@/editing/unsaved'
import { askAhead } from '@/api/ahead'
import { client } from '@/api/queryClient'
import { useSession } from '@/api/session'
import { watchMoves } from '@/ui/address'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: () => import('@/places/sign-in/SignIn.vue') },
    { path: '/', name: 'start', component: () => import('@/places/start/Start.vue') },
    { path: '/people', name: 'people', component: () => import('@/places/people/People.vue') },
    {
      path: '/networks/:network(\\d+)',
      component: () => import('@/frame/Frame.vue'),
      children: [
        { path: '', name: 'network', redirect: (to) => ({ name: 'standing', params: to.params }) },
        { path: 'standing', name: 'standing', component: () => import('@/places/standing/Standing.vue') },
        {
          path: 'ground/:thing(\\d+)?',
          name: 'ground',
          component: () => import('@/places/ground/Ground.vue'),
        },
        {
          path: 'worksheet/:device(\\d+)',
          name: 'worksheet',
          component: () => import('@/places/worksheet/Worksheet.vue'),
        },
        {
          path: 'schedules/:schedule(\\d+)?',
          name: 'schedules',
          component: () => import('@/places/schedules/Schedules.vue'),
        },
        { path: 'names/:name(\\d+)?', name: 'names', component: () => import('@/places/names/Names.vue') },
        { path: 'policies', name: 'policies', component: () => import('@/places/policies/Policies.vue') },
        {
          path: 'verify/question',
          name: 'question',
          component: () => import('@/places/question/Question.vue'),
        },
        {
          path: 'verify/segments',
          name: 'segments',
          component: () => import('@/places/verify/AllSegments.vue'),
        },
        {
          path: 'verify/holds/try',
          name: 'try',
          component: () => import('@/places/verify/TrySheet.vue'),
        },
        {
          path: 'verify/holds/:expectation(\\d+)?',
          name: 'holds',
          component: () => import('@/places/verify/MustHold.vue'),
        },
        {
          path: 'verify/:policy(\\d+)?',
          name: 'verify',
          component: () => import('@/places/verify/Verify.vue'),
        },
        {
          path: 'editions/:part(review|release|audit)?',
          name: 'editions',
          component: () => import('@/places/editions/Editions.vue'),
        },
        { path: 'findings', name: 'findings', component: () => import('@/places/findings/Findings.vue') },
        { path: 'rules/:policy(\\d+)?', name: 'rules', component: () => import('@/places/rules/Rules.vue') },
      ],
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

watchMoves(router)
router.beforeEach(async (to, from) => {
  if (to.path !== from.path && !(await mayLeave())) return false
  const signedIn = await useSession().restore()
  if (signedIn && !from.matched.length) void askAhead(client, to.path)
  if (!signedIn && to.name !== 'sign-in') return { name: 'sign-in', query: { to: to.fullPath } }
  if (signedIn && to.name === 'sign-in') return { path: '/' }
  // Somebody else knows this password: it is changed first of all.
  if (signedIn && useSession().me?.given && to.name !== 'people') return { name: 'people' }
  return true
})

const TITLES: Record<string, string> = { 'sign-in': 'Sign in', start: 'Networks', people: 'People' }
// The places of a network say more in theirs (frame/Frame.vue).
router.afterEach((to) => {
  const title = TITLES[String(to.name)]
  if (title) document.title = `${title} · Sarvex`
})
