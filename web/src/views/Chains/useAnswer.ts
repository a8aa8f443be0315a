/** The server's answer to what is on screen, asked anew whenever that changes; stale answers are dropped. */
import { ref, shallowRef, watch, type Ref } from "vue";
import { api, Refused, taken, type Answer, type Question } from "../../api/client";
import { spoken } from "../../format/habits";
import { useSite } from "../../composables/useSite";
import { useEdits } from "../../composables/useEdits";

export function useAnswer(question: Ref<Question | undefined>) {
  const { id, site, trouble } = useSite();
  const { unsaved, changes, refuse } = useEdits();
  const answer = shallowRef<Answer>();
  const asking = ref(false);
  let latest = 0;

  async function ask() {
    if (!question.value) return;
    const number = (latest += 1);
    asking.value = true;
    const body: Question = { ...question.value, changes: changes.value };
    try {
      const reply = taken(
        await api.POST("/sites/{site}/evaluate", { params: { path: { site: id.value } }, body }),
      );
      if (number === latest) answer.value = reply;
    } catch (error) {
      if (number !== latest) return;
      if (error instanceof Refused) refuse(error);
      else trouble.value = "The server does not answer. What you typed is kept; try again.";
    } finally {
      if (number === latest) asking.value = false;
    }
  }

  watch([question, unsaved, site, () => spoken()], ask, { immediate: true });
  return { answer, asking };
}
