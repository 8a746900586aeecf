import { createRouter, createWebHistory } from 'vue-router'
import { openAhead } from './record/store'
import { fetchStage } from './stages/loaders'

export const router = createRouter({
  history: createWebHistory('/'),
  scrollBehavior: (_to, _from, saved) => saved ?? false,
  routes: [
    { path: '/', name: 'jobs', component: () => import('./jobs/JobsView.vue') },
    { path: '/account', name: 'account', component: () => import('./session/AccountView.vue') },
    { path: '/join/:token', name: 'join', component: () => import('./session/JoinView.vue') },
    { path: '/new', name: 'new', component: () => import('./jobs/NewJob.vue') },
    { path: '/practice/:try?', name: 'practice', component: () => import('./practice/PracticeView.vue') },
    { path: '/library/:profile?', name: 'library', component: () => import('./library/LibraryView.vue') },
    {
      path: '/jobs/:id/:stage?',
      name: 'job',
      component: () => {
        // The code of the stage and what this device keeps come beside the workspace, not after it.
        openAhead()
        void fetchStage(/^\/jobs\/[^/]+\/(\w+)/.exec(window.location.pathname)?.[1])
        return import('./workspace/WorkspaceView.vue')
      },
    },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
