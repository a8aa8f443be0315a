import { onBeforeUnmount, onMounted, ref, type Ref } from "vue";

/** Width of an element, px, followed while it lives; `first` until it is known. */
export function useElementSize(element: Ref<HTMLElement | undefined>, first: number) {
  const width = ref(first);
  let observer: ResizeObserver | undefined;
  onMounted(() => {
    const found = element.value;
    if (!found) return;
    width.value = found.clientWidth || first;
    observer = new ResizeObserver(() => {
      if (found.clientWidth) width.value = found.clientWidth;
    });
    observer.observe(found);
  });
  onBeforeUnmount(() => observer?.disconnect());
  return { width };
}
