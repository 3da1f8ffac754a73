/**
 * Does something once the page may have the focus: at once, or when the window in front of it is gone and has given the focus back. Returns what calls it off.
 */
export function whenFree(run: () => void): () => void {
  const page = document.getElementById("root");
  if (!page?.inert) {
    run();
    return () => undefined;
  }
  let later = 0;
  const watch = new MutationObserver(() => {
    if (page.inert) return;
    watch.disconnect();
    later = window.setTimeout(run);
  });
  watch.observe(page, { attributes: true });
  return () => {
    watch.disconnect();
    window.clearTimeout(later);
  };
}
