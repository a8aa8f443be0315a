/** The server's answer to what is on screen; it stands on while something that was typed is refused. */
import type { Ref } from "vue";
import { api, taken, type Question } from "../../api/client";
import { useAsked } from "../../composables/useAsked";

export function useAnswer(question: Ref<Question | undefined>) {
  const { answer, asking, trouble, follow } = useAsked(
    async (site, changes) => {
      if (!question.value) return undefined;
      const body: Question = { ...question.value, changes };
      return taken(await api.POST("/sites/{site}/evaluate", { params: { path: { site } }, body }));
    },
    question,
    { keeps: true },
  );
  follow();
  return { answer, asking, trouble };
}
