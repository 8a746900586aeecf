import { createRouter, createWebHistory } from 'vue-router'
import JobsView from './jobs/JobsView.vue'

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/', name: 'jobs', component: JobsView },
    { path: '/new', name: 'new', component: () => import('./jobs/NewJob.vue') },
    { path: '/library/:profile?', name: 'library', component: () => import('./library/LibraryView.vue') },
    { path: '/jobs/:id/:stage?', name: 'job', component: () => import('./workspace/WorkspaceView.vue') },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
