import { createRouter, createWebHistory, type RouteRecordRaw } from "vue-router";

/** A view in the order of the work. */
export interface View {
  name: string;
  title: string;
}

export const views: View[] = [
  { name: "needs", title: "Needs" },
  { name: "supply", title: "Supply" },
  { name: "chains", title: "Chains" },
  { name: "bench", title: "Bench" },
  { name: "outage", title: "Outage" },
  { name: "shelf", title: "Shelf" },
  { name: "watch", title: "Watch" },
  { name: "log", title: "Log" },
];

const pages: Record<string, () => Promise<unknown>> = {
  needs: () => import("./views/Needs/NeedsView.vue"),
  supply: () => import("./views/Supply/SupplyView.vue"),
  chains: () => import("./views/Chains/ChainsView.vue"),
  bench: () => import("./views/Bench/BenchView.vue"),
  outage: () => import("./views/Outage/OutageView.vue"),
  shelf: () => import("./views/Shelf/ShelfView.vue"),
  watch: () => import("./views/Watch/WatchView.vue"),
  log: () => import("./views/Log/LogView.vue"),
};
const routes: RouteRecordRaw[] = views.map((view) => ({
  path: `/${view.name}`,
  name: view.name,
  component: pages[view.name] as () => Promise<typeof import("./views/Log/LogView.vue")>,
}));

export const router = createRouter({
  history: createWebHistory(),
  // A door to a device or a source leads to its row.
  scrollBehavior: (to) => (to.hash ? { el: to.hash, top: 12 } : { top: 0 }),
  routes: [
    ...routes,
    { path: "/site", name: "site", component: () => import("./views/Site/SiteView.vue") },
    { path: "/wiring/:way", name: "wiring", component: () => import("./views/Wiring/WiringView.vue") },
    {
      path: "/paper/:way/:outage",
      name: "paper",
      component: () => import("./views/Outage/PaperView.vue"),
    },
    { path: "/:rest(.*)*", redirect: "/chains" },
  ],
});
