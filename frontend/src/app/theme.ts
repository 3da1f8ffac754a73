export type Theme = "light" | "dark";

export function storedTheme(): Theme {
  try {
    const kept = localStorage.getItem("theme");
    if (kept === "light" || kept === "dark") return kept;
  } catch {
    // Without storage the device's own preference decides.
  }
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function applyTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
}

export function keepTheme(theme: Theme) {
  applyTheme(theme);
  try {
    localStorage.setItem("theme", theme);
  } catch {
    // Not kept; the choice still holds until the page is left.
  }
}
