import { createRouter, createWebHistory } from 'vue-router'

/** The pages, in the order of the work. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('./home/HomePage.vue') },
    { path: '/evidence', component: () => import('./evidence/DevicesPage.vue') },
    { path: '/evidence/files', component: () => import('./evidence/FilesPage.vue') },
    { path: '/evidence/:code', component: () => import('./evidence/DevicePage.vue'), props: true },
    { path: '/titles', component: () => import('./titles/TitlesPage.vue') },
    { path: '/titles/names', component: () => import('./titles/NamesPage.vue') },
    { path: '/titles/:id(\\d+)', component: () => import('./titles/TitlePage.vue'), props: true },
    { path: '/entitlements', component: () => import('./entitlements/EntitlementsPage.vue') },
    { path: '/use', component: () => import('./use/UsePage.vue') },
    { path: '/position', component: () => import('./position/PositionPage.vue') },
    { path: '/worklist', component: () => import('./worklist/WorklistPage.vue') },
    { path: '/worklist/stances', component: () => import('./worklist/StancesPage.vue') },
    { path: '/help', component: () => import('./home/HelpPage.vue') },
    { path: '/:rest(.*)*', component: () => import('./home/LostPage.vue') },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? {},
})
