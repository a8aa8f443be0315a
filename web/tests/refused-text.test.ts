import { computed, nextTick, ref, watch } from "vue";
import { describe, expect, it } from "vitest";
import { useRefusedText } from "../src/composables/useRefusedText";

/** A field as the entries have it: what the plan has is shown, unless what was typed there was refused. */
function field(stored: string) {
  const plan = ref(stored);
  const refused = ref<string>();
  const text = ref(stored);
  const shown = computed(() => plan.value);
  const { handedOn, keeps, stays } = useRefusedText(() => refused.value, text, shown);
  watch(shown, (now) => {
    if (!keeps()) text.value = now;
  });
  /** Typed, and Enter pressed: the plan shows it before anybody has judged it. */
  async function enter(typed: string) {
    text.value = typed;
    handedOn();
    refused.value = undefined;
    plan.value = typed;
    await nextTick();
  }
  return { plan, refused, text, stays, enter };
}

describe("what was typed and refused", () => {
  it("stays in its field while the plan takes its old value back, and is not asked again", async () => {
    const it = field("23:00");
    await it.enter("06:30");
    expect(it.stays()).toBe(false);
    // The look ahead refuses before what was typed is saved and dropped.
    it.refused.value = "is the time at which it comes on";
    await nextTick();
    it.plan.value = "23:00";
    await nextTick();
    expect(it.text.value).toBe("06:30");
    expect(it.stays()).toBe(true);
    await it.enter("22:00");
    expect([it.text.value, it.stays()]).toEqual(["22:00", false]);
    // Refused once more it stays as well.
    it.refused.value = "no";
    it.plan.value = "23:00";
    await nextTick();
    expect([it.text.value, it.stays()]).toEqual(["22:00", true]);
  });

  it("does not keep from being asked what was typed between the two refusals", async () => {
    const it = field("23:00");
    await it.enter("06:30");
    it.refused.value = "no";
    await nextTick();
    it.text.value = "22:00";
    it.plan.value = "23:00";
    await nextTick();
    expect([it.text.value, it.stays()]).toEqual(["22:00", false]);
  });

  it("gives way to the plan's value when something else is edited, unless it was mended meanwhile", async () => {
    const it = field("23:00");
    await it.enter("06:30");
    it.refused.value = "no";
    it.plan.value = "23:00";
    await nextTick();
    it.refused.value = undefined;
    await nextTick();
    expect([it.text.value, it.stays()]).toEqual(["23:00", false]);
    await it.enter("06:30");
    it.refused.value = "no";
    it.plan.value = "23:00";
    await nextTick();
    it.text.value = "22:0";
    it.refused.value = undefined;
    await nextTick();
    expect(it.text.value).toBe("22:0");
  });
});
