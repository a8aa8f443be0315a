/** The alarm: a tone that the page makes, its title, and a screen that stays awake where the browser can. */
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch, type Ref } from "vue";
import { READY, ringing, type Rings } from "./alarm";
import type { Told } from "./useWatch";

const KEY = "ash-pond.rings";
/** Muted for so long, ms. */
const MUTED_MS = 30 * 60_000;
/** It rings again so often while nobody answers, ms. */
const AGAIN_MS = 20_000;

function remembered(): Rings {
  try {
    return { ...READY, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Rings>) };
  } catch {
    return { ...READY };
  }
}

export function useAlarm(told: Ref<Told | undefined>) {
  const rings = reactive(remembered());
  watch(rings, (now) => localStorage.setItem(KEY, JSON.stringify(now)));
  const mutedUntil = ref(0);
  const now = ref(Date.now());
  /** What was heard and answered; it rings no more. */
  const answered = reactive(new Set<string>());
  const all = computed(() => (told.value ? ringing(told.value, rings) : []));
  const open = computed(() => all.value.filter((it) => !answered.has(it.key)));
  const muted = computed(() => mutedUntil.value > now.value);

  let context: AudioContext | undefined;
  function tone() {
    try {
      context ??= new AudioContext();
      void context.resume();
      const begin = context.currentTime;
      for (const [at, hertz] of [
        [0, 880],
        [0.28, 660],
        [0.56, 880],
      ] as const) {
        const from = context.createOscillator();
        const through = context.createGain();
        from.frequency.value = hertz;
        through.gain.setValueAtTime(0.0001, begin + at);
        through.gain.exponentialRampToValueAtTime(0.3, begin + at + 0.02);
        through.gain.exponentialRampToValueAtTime(0.0001, begin + at + 0.25);
        from.connect(through).connect(context.destination);
        from.start(begin + at);
        from.stop(begin + at + 0.26);
      }
    } catch {
      // A browser without sound still has the title and the line.
    }
  }
  const title = document.title;
  let last = 0;
  function ring() {
    now.value = Date.now();
    const first = open.value[0];
    document.title = first ? `! ${first.text}` : title;
    if (first && !muted.value && Date.now() - last > AGAIN_MS) {
      last = Date.now();
      tone();
    }
  }
  watch(
    open,
    (list, before = []) => {
      if (list.some((it) => !before.some((other) => other.key === it.key))) last = 0;
      ring();
    },
    { immediate: true },
  );

  let awake: { release: () => Promise<void> } | undefined;
  async function stayAwake() {
    const wakeLock = (navigator as { wakeLock?: { request: (kind: "screen") => Promise<typeof awake> } })
      .wakeLock;
    try {
      awake = told.value?.open ? await wakeLock?.request("screen") : undefined;
    } catch {
      // The machine decides otherwise.
    }
  }
  const seen = () => {
    if (document.visibilityState === "visible") void stayAwake();
  };
  watch(
    () => told.value?.open,
    () => void stayAwake(),
  );
  const timer = setInterval(ring, 1000);
  onMounted(() => document.addEventListener("visibilitychange", seen));
  onBeforeUnmount(() => {
    clearInterval(timer);
    document.removeEventListener("visibilitychange", seen);
    document.title = title;
    void awake?.release();
    void context?.close();
  });

  return {
    rings,
    open,
    muted,
    mutedUntil,
    tone,
    mute: () => (mutedUntil.value = muted.value ? 0 : Date.now() + MUTED_MS),
    answer: () => all.value.forEach((it) => answered.add(it.key)),
  };
}
