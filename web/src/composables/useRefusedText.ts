/** What was typed and refused stays where it was typed until it is mended there or something else is edited. */
import { watch, type Ref } from "vue";

/**
 * `refused` is the sentence of the refusal, `text` what stands in the field and `shown` what the plan has. The plan
 * takes its old value back while the refusal is told; the field does not, so that a person mends what they typed.
 */
export function useRefusedText(refused: () => string | undefined, text: Ref<string>, shown: Ref<string>) {
  /** What was handed on last. */
  let asked: string | undefined;

  watch(refused, (now) => {
    if (now === undefined && text.value === asked) text.value = shown.value;
  });

  return {
    /** To be told whenever the field's text is handed on. */
    handedOn: () => {
      asked = text.value;
    },
    /** Whether the field keeps its text where the plan's value changes. */
    keeps: () => refused() !== undefined,
    /** Whether what stands there is still what was refused: asked again it would take what is typed elsewhere along. */
    stays: () => refused() !== undefined && text.value === asked,
  };
}
