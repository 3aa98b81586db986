/** Addresses name project, shot and screen, so that a link or a reload brings everything back. */
import { createRouter, createWebHistory } from 'vue-router';
import StartView from './views/StartView.vue';
import TuneView from './views/TuneView.vue';

const OutputView = () => import('./views/OutputView.vue');

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'start', component: StartView },
    {
      path: '/projects',
      name: 'projects',
      component: () => import('./views/ProjectsView.vue'),
      meta: { title: 'Projects' },
    },
    { path: '/shots/:shotId/tune', name: 'tune', component: TuneView, props: true, meta: { title: 'Tune' } },
    {
      path: '/shots/:shotId/light',
      name: 'light',
      component: () => import('./views/LightView.vue'),
      props: true,
      meta: { title: 'Light' },
    },
    {
      path: '/shots/:shotId/motion',
      name: 'motion',
      component: () => import('./views/MotionView.vue'),
      props: true,
      meta: { title: 'Motion' },
    },
    {
      path: '/shots/:shotId/wedges',
      name: 'wedges',
      component: () => import('./views/WedgesView.vue'),
      props: true,
      meta: { title: 'Wedges' },
    },
    {
      path: '/shots/:shotId/compare',
      name: 'compare',
      component: () => import('./views/CompareView.vue'),
      props: true,
      meta: { title: 'Compare' },
    },
    { path: '/shots/:shotId/output', name: 'output', component: OutputView, props: true, meta: { title: 'Output' } },
    {
      path: '/shots/:shotId/output/sequences/:sequenceId',
      name: 'sequence',
      component: OutputView,
      props: true,
      meta: { title: 'Output' },
    },
    {
      path: '/shots/:shotId/output/:stillId',
      name: 'still',
      component: OutputView,
      props: true,
      meta: { title: 'Output' },
    },
    { path: '/:rest(.*)*', name: 'missing', component: () => import('./views/MissingView.vue') },
  ],
});
router.afterEach((to) => {
  document.title = to.meta.title ? `${String(to.meta.title)} · Daxel` : 'Daxel';
});
