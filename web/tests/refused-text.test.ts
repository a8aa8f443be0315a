import { computed, nextTick, ref, watch } from "vue";
import { describe, expect, it } from "vitest";
import { useRefusedText } from "../src/composables/useRefusedText";

/** A field as the entries have it: what the plan has is shown, unless what was typed there was refused. */
function field(stored: string) {
  const plan = ref(stored);
  const refused = ref<string>();
  const text = ref(stored);
  const shown = computed(() => plan.value);
  const { keeps, stays } = useRefusedText(() => refused.value, text, shown);
  watch(shown, (now) => {
    if (!keeps()) text.value = now;
  });
  return { plan, refused, text, stays };
}

describe("what was typed and refused", () => {
  it("stays in its field while the plan takes its old value back, and is not asked again", async () => {
    const it = field("23:00");
    it.text.value = "06:30";
    it.plan.value = "06:30";
    await nextTick();
    expect(it.stays()).toBe(false);
    // The look ahead refuses before what was typed is saved and dropped.
    it.refused.value = "is the time at which it comes on";
    await nextTick();
    it.plan.value = "23:00";
    await nextTick();
    expect(it.text.value).toBe("06:30");
    expect(it.stays()).toBe(true);
    it.text.value = "22:00";
    expect(it.stays()).toBe(false);
  });

  it("gives way to the plan's value when something else is edited", async () => {
    const it = field("23:00");
    it.text.value = "06:30";
    it.refused.value = "no";
    it.plan.value = "06:30";
    await nextTick();
    it.plan.value = "23:00";
    await nextTick();
    it.refused.value = undefined;
    await nextTick();
    expect(it.text.value).toBe("23:00");
    expect(it.stays()).toBe(false);
  });

  it("is not taken away where it was mended meanwhile", async () => {
    const it = field("23:00");
    it.text.value = "06:30";
    it.refused.value = "no";
    it.plan.value = "06:30";
    await nextTick();
    it.plan.value = "23:00";
    await nextTick();
    it.text.value = "22:0";
    it.refused.value = undefined;
    await nextTick();
    expect(it.text.value).toBe("22:0");
  });
});
