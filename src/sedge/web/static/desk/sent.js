// A form that was taken is not sent once more by a second press while the page it leads to is on
// its way.
const LEFT_WITHIN = 5000;

export function sendOnce() {
  const taken = new WeakSet();
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (taken.has(event.detail.elt)) event.preventDefault();
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    const { elt, xhr } = event.detail;
    if (!elt.matches("form") || !xhr.getResponseHeader("HX-Redirect")) return;
    taken.add(elt);
    setTimeout(() => taken.delete(elt), LEFT_WITHIN);
  });
}
