import { createRouter, createWebHistory } from 'vue-router'

import LibraryView from './features/library/LibraryView.vue'
import { trackNavigation } from './shared/navigation'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/library' },
    { path: '/library', name: 'library', component: LibraryView, meta: { title: 'Library' } },
    {
      path: '/callsheet',
      name: 'call sheet',
      component: () => import('./features/callsheet/CallSheetView.vue'),
      meta: { title: 'Call sheet' },
    },
    {
      path: '/callsheet/print',
      name: 'call sheet on paper',
      component: () => import('./features/callsheet/PrintView.vue'),
      meta: { title: 'Call sheet' },
    },
    {
      path: '/library/intake',
      name: 'intake',
      component: () => import('./features/library/IntakeView.vue'),
      meta: { title: 'Intake' },
    },
    {
      path: '/library/sources',
      name: 'sources',
      component: () => import('./features/sources/SourcesView.vue'),
      meta: { title: 'Sources' },
    },
    {
      path: '/library/clips/:id(\\d+)',
      name: 'clip',
      component: () => import('./features/clip/ClipView.vue'),
      meta: { title: 'Clip' },
    },
    {
      path: '/splices/:id(\\d+)',
      name: 'splice',
      component: () => import('./features/splices/SpliceView.vue'),
      meta: { title: 'Splice' },
    },
    {
      path: '/ensembles',
      name: 'ensembles',
      component: () => import('./features/ensembles/EnsemblesView.vue'),
      meta: { title: 'Ensembles' },
    },
    {
      path: '/ensembles/:id(\\d+)',
      name: 'ensemble',
      component: () => import('./features/ensembles/EnsembleView.vue'),
      meta: { title: 'Ensemble' },
    },
    {
      path: '/cast/:id(\\d+)/bones',
      name: 'bones',
      component: () => import('./features/rigging/RigView.vue'),
      meta: { title: 'Give it bones' },
    },
    {
      path: '/cast/live',
      name: 'live',
      component: () => import('./features/live/LiveView.vue'),
      meta: { title: 'Live' },
    },
    { path: '/cast', name: 'cast', component: () => import('./features/cast/CastView.vue'), meta: { title: 'Cast' } },
    {
      path: '/fittings',
      name: 'fittings',
      component: () => import('./features/fittings/FittingsView.vue'),
      meta: { title: 'Fittings' },
    },
    {
      path: '/fittings/:id(\\d+)',
      name: 'fitting',
      component: () => import('./features/fitting/FittingView.vue'),
      meta: { title: 'Fitting' },
    },
    {
      path: '/fittings/patterns',
      name: 'patterns',
      component: () => import('./features/patterns/PatternsView.vue'),
      meta: { title: 'Patterns' },
    },
    {
      path: '/board',
      name: 'board',
      component: () => import('./features/board/BoardView.vue'),
      meta: { title: 'Board' },
    },
    {
      path: '/runs/:id(\\d+)?',
      name: 'runs',
      component: () => import('./features/runs/RunsView.vue'),
      meta: { title: 'Runs', stays: true },
    },
    {
      path: '/review/:id(\\d+)?',
      name: 'review',
      component: () => import('./features/review/ReviewView.vue'),
      meta: { title: 'Review', stays: true },
    },
    {
      path: '/delivery',
      name: 'delivery',
      component: () => import('./features/delivery/DeliveryView.vue'),
      meta: { title: 'Delivery' },
    },
    {
      path: '/delivery/new',
      name: 'new delivery',
      component: () => import('./features/delivery/NewDelivery.vue'),
      meta: { title: 'New delivery' },
    },
    {
      path: '/:rest(.*)*',
      name: 'lost',
      component: () => import('./shared/frame/LostView.vue'),
      meta: { title: 'Not found' },
    },
  ],
})
trackNavigation(router)
router.afterEach((to) => {
  document.title = `${String(to.meta.title ?? '')} · Armuto`
})
