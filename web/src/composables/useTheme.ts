import { computed, ref, watchEffect } from "vue";
import { naiveOverrides, type ThemeName } from "../styles/tokens";

const KEY = "ash-pond.theme";
const remembered = localStorage.getItem(KEY);
const preferred = matchMedia("(prefers-color-scheme: dark)").matches ? "blackout" : "day";
const theme = ref<ThemeName>(remembered === "day" || remembered === "blackout" ? remembered : preferred);

watchEffect(() => {
  document.documentElement.dataset.theme = theme.value;
});

/** The theme in use: what was chosen last, else what the system prefers. */
export function useTheme() {
  const overrides = computed(() => naiveOverrides(theme.value));
  function toggle() {
    theme.value = theme.value === "day" ? "blackout" : "day";
    localStorage.setItem(KEY, theme.value);
  }
  return { theme, overrides, toggle };
}
