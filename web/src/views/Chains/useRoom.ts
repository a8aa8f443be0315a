/** The room that the picture has in the element `ref="frame"`, in CSS pixels, kept true while the window changes. */
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from "vue";

/** Width of the board beside a fall with its gap, px. */
const BESIDE = 260;

export function useRoom() {
  const frame = useTemplateRef<HTMLElement>("frame");
  const outer = ref({ width: 1232, height: 560 });
  const compact = computed(() => outer.value.width < 720);
  const width = computed(() => Math.max(280, outer.value.width - (compact.value ? 0 : BESIDE)));
  const height = computed(() => Math.max(420, outer.value.height));
  const measure = () => {
    const box = frame.value?.getBoundingClientRect();
    if (!box) return;
    // What the window leaves below the top of the picture, less the sentence and the keys at the foot.
    outer.value = { width: box.width, height: innerHeight - box.top - 100 };
  };
  const watcher = new ResizeObserver(measure);
  onMounted(() => {
    if (frame.value) watcher.observe(frame.value);
    addEventListener("resize", measure);
    measure();
  });
  onBeforeUnmount(() => {
    watcher.disconnect();
    removeEventListener("resize", measure);
  });
  return { frame, width, height, compact };
}
