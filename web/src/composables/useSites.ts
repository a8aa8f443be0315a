/** Several sites, one open: made, copied, removed, brought back. */
import { api, Refused, taken, type Plan } from "../api/client";
import { useEdits } from "./useEdits";
import { useSite } from "./useSite";

const { id, sites, removed, said, attempt, leaving, list, load } = useSite();
const { settle } = useEdits();

async function open(site: string) {
  await settle();
  await load(site);
}

/** Makes a site from a plan, or an empty one of a name, and opens it. */
async function create(from: string | Plan) {
  await settle();
  const plan =
    typeof from === "string" ? { format: "ash-pond/plan", version: 1, site: { name: from } } : from;
  await attempt(async () => {
    const made = taken(await api.POST("/sites", { body: plan as never }));
    await load(made.id);
    said.value = `Made: ${sites.value.find((it) => it.id === made.id)?.name ?? made.id}`;
  });
}

/** Opens an archive as a site of its own. */
async function openArchive(file: File) {
  await settle();
  await attempt(async () => {
    const made = taken(
      await api.POST("/archives", {
        body: file as unknown as string,
        bodySerializer: (it) => it,
        headers: { "content-type": "application/zip" },
      }),
    );
    await load(made.id);
    said.value = `Opened: ${sites.value.find((it) => it.id === made.id)?.name ?? made.id}`;
  });
}

async function copy(site: string, name: string) {
  await settle();
  await attempt(async () => {
    const made = taken(await api.POST("/sites/{site}/copy", { params: { path: { site } }, body: { name } }));
    await load(made.id);
    said.value = `Copied: ${name}`;
  });
}

/** Takes a site off the list; it can be brought back. */
async function remove(site: string) {
  await settle();
  const name = sites.value.find((it) => it.id === site)?.name ?? site;
  leaving.add(site);
  const done = await attempt(async () => {
    const answer = await api.DELETE("/sites/{site}", { params: { path: { site } } });
    if (!answer.response.ok) throw new Refused(answer.error?.detail ?? "It is not removed.", "", undefined);
    return true;
  });
  if (!done) return;
  if (site === id.value) await load();
  else await attempt(list);
  said.value = `Removed: ${name}. It can be brought back.`;
}

async function restore(site: string) {
  leaving.delete(site);
  await attempt(async () => {
    const answer = await api.POST("/sites/{site}/restore", { params: { path: { site } } });
    if (!answer.response.ok)
      throw new Refused(answer.error?.detail ?? "It is not brought back.", "", undefined);
    await load(site);
  });
}

export function useSites() {
  return { sites, removed, open, create, openArchive, copy, remove, restore };
}
