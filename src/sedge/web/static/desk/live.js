// Quiet refresh: ask whether anything moved, and let the parts that care (data-live) draw themselves anew.
const PAUSE = 1500;
const SWAPPED = { "HX-Request": "true" };

export function keepFresh() {
  let pulse = document.body.dataset.pulse;
  if (!pulse) return;
  const look = async () => {
    if (document.hidden) return;
    const answer = await ask("/changes?since=" + pulse);
    if (answer?.status === 401) location.reload();
    if (answer?.status !== 200) return;
    pulse = (await answer.json()).pulse;
    document.querySelectorAll("[data-live]").forEach(drawAnew);
  };
  setInterval(look, PAUSE);
  addEventListener("visibilitychange", look);
}

async function drawAnew(part) {
  if (isInUse(part)) return;
  const address = part.dataset.live;
  const answer = await ask(address, { "HX-Target": part.id });
  if (answer?.status !== 200) return;
  const page = await answer.text();
  if (isInUse(part) || part.dataset.live !== address) return; // somebody has begun to type, or gone on, meanwhile
  const focused = part.contains(document.activeElement) ? placeOf(document.activeElement) : null;
  htmx.swap(part, page, { swapStyle: "innerHTML" });
  if (focused) part.querySelector(focused)?.focus();
  document.dispatchEvent(new CustomEvent("sedge:redrawn"));
}

// What somebody is typing in, dragging in, or has opened, is left alone until the next change.
function isInUse(part) {
  if (part.matches("[data-dragging]")) return true;
  if (part.querySelector("form[data-typed]")) return true;
  const typing = part.contains(document.activeElement) && document.activeElement.matches("input, textarea, select");
  return typing || part.querySelector("details[open]") !== null;
}

function placeOf(element) {
  if (element.id) return "#" + CSS.escape(element.id);
  return element.matches("a[href]") ? 'a[href="' + CSS.escape(element.getAttribute("href")) + '"]' : null;
}

// A page that is being left, or a server that restarts, is no error: the next look will tell.
async function ask(address, headers = {}) {
  try {
    return await fetch(address, { headers: { ...SWAPPED, ...headers } });
  } catch {
    return null;
  }
}
