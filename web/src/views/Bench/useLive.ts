/** The meters that answer by themselves, asked once a second while somebody looks. */
import { onBeforeUnmount, ref, shallowRef } from "vue";
import { api, Refused, taken, type Schemas } from "../../api/client";

export type LiveMeter = Schemas["LiveMeter"];

/** What they showed last. */
export const meters = shallowRef<LiveMeter[]>([]);
const trouble = ref("");

async function ask() {
  try {
    meters.value = taken(await api.GET("/meters")).meters;
    trouble.value = "";
  } catch {
    trouble.value = "The server does not answer; what was read stands in the rows.";
  }
}

async function set(id: string, key: string, value: string) {
  try {
    const params = { path: { id } };
    const answer = await api.POST("/meters/{id}/set", { params, body: { key, value } });
    if (!answer.response.ok) taken(answer as never);
    trouble.value = "";
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer.";
  }
  await ask();
}

export function useLive() {
  void ask();
  const asking = setInterval(() => document.visibilityState === "visible" && void ask(), 1000);
  onBeforeUnmount(() => clearInterval(asking));
  return { meters, trouble, ask, set };
}
