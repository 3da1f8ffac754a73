"""What a job costs its user: keys pressed, places tapped, screens seen. Counted in the browser from real events, and printed by the journey."""

from playwright.sync_api import Page

_COUNT = """() => {
  const add = (what) => localStorage.setItem(`cost.${what}`, String(Number(localStorage.getItem(`cost.${what}`) || 0) + 1));
  addEventListener("keydown", (e) => { if (e.isTrusted && !e.repeat) add("keys"); }, true);
  addEventListener("click", (e) => { if (e.isTrusted && e.detail > 0) add("taps"); }, true);
  let seen = "";
  addEventListener("DOMContentLoaded", () => new MutationObserver(() => {
    const now = document.querySelector("main h2")?.textContent || "";
    if (now && now !== seen) { seen = now; add("screens"); }
  }).observe(document.documentElement, { subtree: true, childList: true, characterData: true }));
}"""


def count_from_here(page: Page) -> None:
    """Count on this page from now on."""
    page.add_init_script(f"({_COUNT})()")


def cost(page: Page, job: str) -> dict[str, int]:
    """What was counted so far, printed with the name of the job.."""
    told = {what: int(page.evaluate(f"localStorage.getItem('cost.{what}') || '0'")) for what in ("keys", "taps", "screens")}
    print(f"\ncost of {job}: {told['keys']} keys, {told['taps']} taps, {told['screens']} screens", flush=True)
    return told
