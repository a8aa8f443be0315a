/** What there is to run things from, asked anew whenever the plan or an unsaved edit changes. */
import { computed, shallowRef, watch } from "vue";
import { api, Refused, taken, type Converter, type Source, type Supply } from "../../api/client";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";

const { id: site, plan, trouble } = useSite();
const { unsaved, edit, refuse } = useEdits();
const supply = shallowRef<Supply>();
let latest = 0;

async function ask() {
  if (!plan.value) return;
  const number = (latest += 1);
  try {
    const params = { path: { site: site.value } };
    const body = { changes: [...unsaved.value.values()] };
    const reply = taken(await api.POST("/sites/{site}/supply", { params, body }));
    if (number === latest) supply.value = reply;
  } catch (error) {
    if (number !== latest) return;
    if (error instanceof Refused) refuse(error);
    else trouble.value = "The server does not answer. What you typed is kept; try again.";
  }
}

const shown = <T extends { id: string }>(kind: string, list: T[] | undefined): T[] =>
  (list ?? []).map((it) => (unsaved.value.get(`${kind}/${it.id}`)?.body as T | undefined) ?? it);

const sources = computed<Source[]>(() => shown("source", plan.value?.kit.sources));
const converters = computed<Converter[]>(() =>
  shown("converter", plan.value?.kit.converters).filter((it) => it.kind !== "junction"),
);

/** The sources and converters of the open site. One set for the whole view. */
export function useSupply() {
  watch([plan, unsaved], ask, { immediate: true });
  const changeSource = (id: string, name: string, how: (source: Source) => void) =>
    edit({ kind: "source", id }, `${id}.${name}`, (body) => how(body as Source));
  const changeConverter = (id: string, name: string, how: (converter: Converter) => void) =>
    edit({ kind: "converter", id }, `${id}.${name}`, (body) => how(body as Converter));
  return { supply, sources, converters, changeSource, changeConverter };
}
