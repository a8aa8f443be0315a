/** What was typed and refused stays where it was typed until it is mended there or something else is edited. */
import { ref, watch, type Ref } from "vue";

/**
 * `refused` is the sentence of the refusal, `text` what stands in the field and `shown` what the plan has. The plan
 * takes its old value back while the refusal is told; the field does not, so that a person mends what they typed.
 */
export function useRefusedText(refused: () => string | undefined, text: Ref<string>, shown: Ref<string>) {
  const kept = ref<string>();

  watch(refused, (now) => {
    if (now !== undefined) return;
    if (kept.value !== undefined && text.value === kept.value) text.value = shown.value;
    kept.value = undefined;
  });

  return {
    /** Whether the field keeps its text where the plan's value changes. */
    keeps: () => {
      if (refused() === undefined) return false;
      kept.value ??= text.value;
      return true;
    },
    /** Whether what stands there is still what was refused: asked again it would take what is typed elsewhere along. */
    stays: () => kept.value !== undefined && text.value === kept.value,
  };
}
