/** The tests of the open site: begun, kept, their figures used and taken back. */
import { computed, ref, shallowRef, watch } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";
import { useSite } from "../../composables/useSite";

export type Tested = Schemas["Tested"];
export type Test = Schemas["Test"];
export type Guide = Schemas["Guide"];

const guides = shallowRef<Guide[]>([]);
const tests = shallowRef<Tested[]>([]);
const open = ref<string>();
const trouble = ref("");
/** Whether the last trouble was that something was changed elsewhere. */
const stale = ref(false);
const preview = shallowRef<{ id: string; ways: Schemas["PreviewedWay"][] }>();
const { id: site, plan, said } = useSite();

async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
  try {
    const done = await work();
    trouble.value = "";
    stale.value = false;
    return done;
  } catch (error) {
    stale.value = error instanceof Refused && error.code === "stale";
    trouble.value =
      error instanceof Refused
        ? error.message
        : "The server does not answer. What you typed stands here; try again.";
    return undefined;
  }
}

async function list() {
  if (!site.value) return;
  const path = { site: site.value };
  const found = await attempt(async () => {
    const all: Tested[] = [];
    for (let behind: string | undefined; ;) {
      const page = taken(
        await api.GET("/sites/{site}/tests", { params: { path, query: behind ? { behind } : {} } }),
      );
      all.push(...page.tests);
      if (!page.next) return all;
      behind = page.next;
    }
  });
  if (found) tests.value = found;
}

async function begin(test: Test) {
  const path = { site: site.value };
  const begun = await attempt(async () =>
    taken(await api.POST("/sites/{site}/tests", { params: { path }, body: test })),
  );
  if (!begun) return;
  await list();
  open.value = begun.id;
}

/** What a change of a test is based on. */
const based = (id: string) => ({
  "If-Match": `"${tests.value.find((it) => it.id === id)?.revision ?? 0}"`,
});

/** Tests are kept one after the other, each based on the one before. */
let keeping: Promise<unknown> = Promise.resolve();

/** Keeps a changed test; its file stays what it was. */
function keep(id: string, test: Test): Promise<boolean> {
  const kept = keeping.then(() => keepNow(id, test));
  keeping = kept;
  return kept;
}

async function keepNow(id: string, test: Test): Promise<boolean> {
  const path = { site: site.value, id };
  const kept = await attempt(async () =>
    taken(await api.PUT("/sites/{site}/tests/{id}", { params: { path, header: based(id) }, body: test })),
  );
  if (kept) tests.value = tests.value.map((it) => (it.id === id ? kept : it));
  else if (stale.value) {
    const wrote = test.note ? [`Your note was “${test.note}”.`] : [];
    await list();
    trouble.value = [
      "Another window changed this test meanwhile; it stands here as it is there.",
      "Enter yours again where it is missing.",
      ...wrote,
    ].join(" ");
  }
  return kept !== undefined;
}

/** Gives a test its file, as it is; `columns` says what each of them holds. */
async function give(id: string, file: File, columns: string) {
  const kept = await attempt(async () =>
    taken(
      await api.PUT("/sites/{site}/tests/{id}/file", {
        params: { path: { site: site.value, id }, query: { name: file.name, columns } },
        body: file as unknown as string,
        bodySerializer: (it) => it,
        headers: { "content-type": "text/csv" },
      }),
    ),
  );
  if (kept) tests.value = tests.value.map((it) => (it.id === id ? kept : it));
  return kept !== undefined;
}

async function look(id: string) {
  const path = { site: site.value, id };
  const found = await attempt(async () =>
    taken(await api.POST("/sites/{site}/tests/{id}/preview", { params: { path } })),
  );
  if (found) preview.value = { id, ways: found.arrangements };
}

async function change(id: string, back: boolean) {
  const path = { site: site.value, id };
  const done = await attempt(async () =>
    back
      ? taken(await api.POST("/sites/{site}/tests/{id}/take-back", { params: { path, header: based(id) } }))
      : taken(await api.POST("/sites/{site}/tests/{id}/use", { params: { path, header: based(id) } })),
  );
  if (!done) return;
  preview.value = undefined;
  said.value = back ? "The earlier figures are back." : "The measured figures are in use.";
  await list();
}

let following = false;
/** Follows the site and its changes, once for all who ask. */
function follow() {
  if (following) return;
  following = true;
  void attempt(async () => (guides.value = taken(await api.GET("/bench")).guides));
  watch(site, () => (open.value = undefined));
  watch([site, plan], list, { immediate: true });
}

export function useTests() {
  follow();
  const current = computed(() => tests.value.find((it) => it.id === open.value));
  return { guides, tests, open, current, trouble, preview, begin, keep, give, look, change };
}
