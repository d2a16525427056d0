// Quiet refresh: the server says when something has moved, and the parts that care (data-live) are
// drawn anew.
const AGAIN = 3000;
const SWAPPED = { "HX-Request": "true" };

export function keepFresh() {
  const { of } = document.body.dataset;
  let shown = document.body.dataset.changeCounter;
  let heard = shown;
  if (!shown) return;
  const draw = () => {
    if (document.hidden || heard === shown) return;
    shown = heard;
    document.querySelectorAll("[data-live]").forEach(drawAnew);
    countAnew();
  };
  const ended = async (again) => {
    const answer = await ask("/changes?since=" + shown);
    if (answer?.status === 401) return location.reload();
    setTimeout(again, AGAIN);
  };
  listen(
    of,
    (counter) => {
      heard = counter;
      draw();
    },
    ended,
  );
  addEventListener("visibilitychange", draw);
}

// Where much is being changed, the counts of the head are those of a moment ago, so that no page
// waits for them. They are asked for once more.
export function catchUp() {
  if (document.body.dataset.behind !== undefined) countAnew();
}

async function countAnew() {
  const query = new URLSearchParams({ place: document.body.dataset.place, at: location.pathname });
  const answer = await ask("/head?" + query, { "HX-Request": "false" });
  if (answer?.status !== 200) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
  for (const nav of fresh.querySelectorAll("nav")) {
    const shown = document.querySelector("nav." + nav.className);
    if (shown) Idiomorph.morph(shown, nav);
  }
}

// All pages of a browser share one stream where they can.
function listen(of, moved, ended) {
  if (!window.SharedWorker) return listenAlone(moved, ended);
  const worker = new SharedWorker(new URL("../desk/events.js", import.meta.url), "changes");
  const begin = () => worker.port.postMessage({ of });
  worker.port.onmessage = ({ data }) => (data.ended ? ended(begin) : moved(data.counter));
  begin();
  addEventListener("pagehide", () => worker.port.postMessage({ leaves: true }));
  addEventListener("pageshow", (event) => event.persisted && location.reload());
}

function listenAlone(moved, ended) {
  const source = new EventSource("/events");
  source.onmessage = ({ data }) => moved(data);
  source.onerror = () =>
    source.readyState === EventSource.CLOSED && ended(() => listenAlone(moved, ended));
}

async function drawAnew(part) {
  if (isInUse(part)) return;
  const address = part.dataset.live;
  const answer = await ask(address, { "HX-Target": part.id });
  if (answer?.status !== 200) return;
  const page = await answer.text();
  // somebody has begun to type, or gone on, meanwhile
  if (isInUse(part) || part.dataset.live !== address) return;
  const focused = part.contains(document.activeElement) ? placeOf(document.activeElement) : null;
  htmx.swap(part, page, { swapStyle: "morph:innerHTML" });
  if (focused && !part.contains(document.activeElement)) focused(part)?.focus();
  document.dispatchEvent(new CustomEvent("sedge:redrawn"));
}

// What somebody is typing in, dragging in, or has opened, is left alone until the next change.
function isInUse(part) {
  if (part.matches("[data-dragging]")) return true;
  if (part.querySelector("form[data-typed]")) return true;
  const typing =
    part.contains(document.activeElement) &&
    document.activeElement.matches("input, textarea, select");
  return typing || part.querySelector("details[open]") !== null;
}

// How what has the focus is found again where the new page has another element for it: by its id,
// its address, or what it says.
function placeOf(element) {
  const { id, tagName, textContent } = element;
  if (id) return (part) => part.querySelector("#" + CSS.escape(id));
  if (element.matches("a[href]")) {
    const link = 'a[href="' + CSS.escape(element.getAttribute("href")) + '"]';
    return (part) => part.querySelector(link);
  }
  return (part) =>
    [...part.querySelectorAll(tagName)].find((each) => each.textContent === textContent);
}

// A page that is being left, or a server that restarts, is no error: the next look will tell.
async function ask(address, headers = {}) {
  try {
    return await fetch(address, { headers: { ...SWAPPED, ...headers } });
  } catch {
    return null;
  }
}
