import { createRouter, createWebHistory } from 'vue-router'

import BenchPage from '../bench/BenchPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: BenchPage, meta: { title: 'Bench' } },
    {
      path: '/jobs',
      component: () => import('../jobs/JobsPage.vue'),
      meta: { title: 'Jobs' },
    },
    {
      path: '/jobs/new/:printer',
      component: () => import('../jobs/NewJobPage.vue'),
      meta: { title: 'New job' },
    },
    {
      path: '/jobs/:id/report',
      component: () => import('../jobs/ReportPage.vue'),
      meta: { title: 'Report' },
    },
    {
      path: '/jobs/:id/:key?',
      component: () => import('../jobs/JobPage.vue'),
      meta: { title: 'Job' },
    },
    {
      path: '/wrong/new/:printer',
      component: () => import('../wrong/BeginPage.vue'),
      meta: { title: 'What is wrong?' },
    },
    {
      path: '/wrong/:id',
      component: () => import('../wrong/WrongPage.vue'),
      meta: { title: 'What is wrong?' },
    },
    {
      path: '/printers/:id',
      component: () => import('../printers/PrinterPage.vue'),
      meta: { title: 'Printer' },
    },
    {
      path: '/printers/:id/link',
      component: () => import('../live/LinkPage.vue'),
      meta: { title: 'Connected printer' },
    },
    {
      path: '/prints',
      component: () => import('../prints/PrintsPage.vue'),
      meta: { title: 'Prints' },
    },
    {
      path: '/prints/:id',
      component: () => import('../prints/PrintPage.vue'),
      meta: { title: 'Print' },
    },
    {
      path: '/traces',
      component: () => import('../heat/TracePage.vue'),
      meta: { title: 'Heat logs' },
    },
    {
      path: '/logbook',
      component: () => import('../logbook/LogbookPage.vue'),
      meta: { title: 'Logbook' },
    },
    {
      path: '/rules',
      component: () => import('../rules/RulesPage.vue'),
      meta: { title: 'House rules' },
    },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
router.afterEach((to) => {
  document.title = `${String(to.meta.title ?? 'Wattotherm')} – Wattotherm`
})
