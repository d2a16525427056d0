// A part that is drawn anew must not throw whoever works by keyboard back to the top of the page:
// the same control is focused again, or, where it has gone, the part itself.
export function keepFocus() {
  let held = null;
  document.addEventListener("htmx:beforeSwap", (event) => {
    const focused = document.activeElement;
    const part = event.detail.target;
    held =
      part && part !== document.body && part.contains(focused)
        ? { part: part.id, is: nameOf(focused) }
        : null;
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!held || document.activeElement !== document.body) return (held = null);
    const part = document.getElementById(held.part);
    const same =
      part && [...part.querySelectorAll(held.is.kind)].find((one) => sameAs(held.is, one));
    held = null;
    if (same) return same.focus();
    if (!part) return;
    if (!part.hasAttribute("tabindex")) part.setAttribute("tabindex", "-1");
    part.focus({ preventScroll: true });
  });
}

const nameOf = (element) => ({
  kind: element.tagName.toLowerCase(),
  id: element.id,
  name: element.getAttribute("name"),
  href: element.getAttribute("href"),
  words: element.matches("input, textarea, select") ? "" : element.textContent.trim(),
});

function sameAs(was, element) {
  if (element.disabled) return false;
  const is = nameOf(element);
  return was.id
    ? is.id === was.id
    : is.name === was.name && is.href === was.href && is.words === was.words;
}
