/** What there is to run things from, and how it is changed. */
import { computed } from "vue";
import { api, taken, type Converter, type Source, type Supply } from "../../api/client";
import { useAsked, withUnsaved } from "../../composables/useAsked";
import { useEdits } from "../../composables/useEdits";
import { useSite } from "../../composables/useSite";

const { plan } = useSite();
const { edit } = useEdits();
const { answer: supply, follow } = useAsked<Supply>(async (site, changes) =>
  taken(await api.POST("/sites/{site}/supply", { params: { path: { site } }, body: { changes } })),
);

const sources = computed<Source[]>(() => withUnsaved("source", plan.value?.kit.sources));
const stages = computed<Converter[]>(() => withUnsaved("converter", plan.value?.kit.converters));
const converters = computed(() => stages.value.filter((it) => it.kind !== "junction"));
const junctions = computed(() => stages.value.filter((it) => it.kind === "junction"));

/** The sources and converters of the open site. One set for the whole view. */
export function useSupply() {
  const changeSource = (id: string, name: string, how: (source: Source) => void) =>
    edit({ kind: "source", id }, `${id}.${name}`, (body) => how(body as Source));
  const changeConverter = (id: string, name: string, how: (converter: Converter) => void) =>
    edit({ kind: "converter", id }, `${id}.${name}`, (body) => how(body as Converter));
  return { supply, sources, converters, junctions, changeSource, changeConverter, follow };
}
