import { createRouter, createWebHistory } from 'vue-router'

/** The pages, in the order of the work. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('./home/HomePage.vue') },
    { path: '/evidence', component: () => import('./evidence/DevicesPage.vue') },
    { path: '/evidence/where', component: () => import('./evidence/WherePage.vue') },
    { path: '/evidence/find', component: () => import('./evidence/FindFilePage.vue') },
    { path: '/evidence/changes/mail', component: () => import('./evidence/MailPage.vue') },
    { path: '/evidence/changes', component: () => import('./evidence/ChangesPage.vue') },
    { path: '/evidence/groups', component: () => import('./evidence/GroupsPage.vue') },
    { path: '/evidence/scans', component: () => import('./evidence/ScansPage.vue') },
    { path: '/evidence/senders', component: () => import('./evidence/SendersPage.vue') },
    { path: '/evidence/people', component: () => import('./evidence/PeoplePage.vue') },
    { path: '/evidence/compare', component: () => import('./evidence/ComparePage.vue') },
    { path: '/evidence/files', component: () => import('./evidence/FilesPage.vue') },
    { path: '/evidence/:code', component: () => import('./evidence/DevicePage.vue'), props: true },
    { path: '/titles', component: () => import('./titles/TitlesPage.vue') },
    { path: '/titles/names', component: () => import('./titles/NamesPage.vue') },
    { path: '/titles/rules', component: () => import('./titles/RulesPage.vue') },
    { path: '/titles/unsigned', component: () => import('./titles/UnsignedPage.vue') },
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
