import { nextTick, ref, type Ref } from "vue";
import { api, Refused, taken, type Arrangement, type Schemas } from "../api/client";
import { useEdits } from "./useEdits";
import { useKit } from "./useKit";
import { useSite } from "./useSite";

/** What another way of switching does, looked at before it is done, and done as one step. */
export function useSwitchLook<Way>(
  box: Ref<HTMLElement | undefined>,
  soc: () => Record<string, number> | undefined,
) {
  const { id: site } = useSite();
  const { changes, settle } = useEdits();
  const { step } = useKit();
  const seen = ref<{ how: Way; difference: Schemas["Difference"] }>();
  const trouble = ref("");

  async function look(how: Way, then: () => Arrangement | undefined) {
    trouble.value = "";
    await settle();
    const body = then();
    if (!body) return;
    const charge = soc();
    try {
      const difference = taken(
        await api.POST("/sites/{site}/difference", {
          params: { path: { site: site.value } },
          body: {
            arrangement: body.id,
            then: [{ kind: "arrangement", id: body.id, body }],
            ...(charge ? { soc: charge } : {}),
            changes: changes.value,
          },
        }),
      );
      seen.value = { how, difference };
      await nextTick();
      box.value?.querySelector<HTMLElement>("[data-test=do-switch]")?.focus();
    } catch (error) {
      trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
    }
  }
  async function carryOut(words: string, then: Arrangement | undefined) {
    seen.value = undefined;
    if (then) await step(words.slice(0, 200), [{ kind: "arrangement", id: then.id, body: then }]);
  }
  return { seen, trouble, look, carryOut };
}
