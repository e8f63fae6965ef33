import { createRouter, createWebHistory, type RouteRecordRaw } from 'vue-router'

// The path names the bench, the query holds what is on it (see desk/desk.ts); App.vue shows the page for it.
const nothing = { render: () => null }
const benches: RouteRecordRaw[] = [
  { path: '/places/:part(list|kinds|files|addresses|bin)?', name: 'places', component: nothing },
  { path: '/around/:part(round|served|finder)?', name: 'around', component: nothing },
  { path: '/journey/:part(rehearsals)?', name: 'journey', component: nothing },
  { path: '/proof/:part(numbers|formulas)?', name: 'proof', component: nothing },
  { path: '/party/:part(watches)?', name: 'party', component: nothing },
  { path: '/publish/:part(tokens|embed|picture)?', name: 'publish', component: nothing },
  { path: '/:rest(.*)*', redirect: (to) => ({ path: '/around', query: to.query, hash: '' }) },
]

export const router = createRouter({ history: createWebHistory(), routes: benches })
