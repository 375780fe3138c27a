// Where the keyboard stands when what it stood on is gone: a row that was removed, a form
// that was sent. A browser goes back to the top of the page; here it goes to the heading of
// what is left of that place.

/** Watch a page. Returns the way to end it. */
export function keepFocus(page: Document = document): () => void {
  let around: Element[] = [];

  function stood(event: FocusEvent) {
    around = [];
    for (let one = event.target as Element | null; one; one = one.parentElement) around.push(one);
  }

  function look() {
    const [last, ...outer] = around;
    if (!last || last.isConnected || page.activeElement !== page.body) return;
    const left = outer.find((one) => one.isConnected && one !== page.body);
    const heading = left?.closest("section, main, [role=dialog]")?.querySelector("h1, h2, h3");
    around = [];
    if (!(heading instanceof HTMLElement)) return;
    heading.tabIndex = -1;
    heading.focus({ preventScroll: true });
  }

  const watch = new MutationObserver(look);
  page.addEventListener("focusin", stood);
  watch.observe(page.body, { childList: true, subtree: true });
  return () => {
    page.removeEventListener("focusin", stood);
    watch.disconnect();
  };
}
