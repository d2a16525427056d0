// A block map: one stop of the tab order, arrows inside; a cell opens its card, several can be
// picked.
// Mouse: click opens, drag or shift picks a stretch, ctrl picks one more. Keys: x picks, shift and
// arrows stretch.
import { fill } from "./fill.js";
import { pickStretch, toggle } from "./picked.js";

let began = null;
let dragged = false;
addEventListener("pointerup", () => {
  began = null;
});

export const blockMap = () => ({
  anchor: null,
  keys(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const cell = event.target.closest(".cell-link");
    if (event.key === " ") return this.open(event, cell);
    if (event.key === "x" && cell?.dataset.number) return this.pick(event, cell);
    const next = this.towards(event);
    if (!next) return;
    event.preventDefault();
    if (event.shiftKey && cell?.dataset.number) this.stretch(this.anchor || cell, next);
    else this.anchor = next;
    this.cells().forEach((other) => other.setAttribute("tabindex", "-1"));
    next.setAttribute("tabindex", "0");
    next.focus();
  },
  cells() {
    return [...this.$root.querySelectorAll(".cell-link")];
  },
  towards(event) {
    const cells = this.cells();
    if (event.key === "Home") return cells[0];
    if (event.key === "End") return cells.at(-1);
    const columns = Number(this.$root.dataset.columns);
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[event.key];
    if (!step) return null;
    const wanted = Number(event.target.dataset.at) + step;
    return step > 0
      ? cells.find((c) => Number(c.dataset.at) >= wanted)
      : cells.findLast((c) => Number(c.dataset.at) <= wanted);
  },
  pick(event, cell) {
    event.preventDefault();
    if (this.$root.dataset.into) return this.open(event, cell);
    this.anchor = cell;
    toggle(cell.dataset.number);
  },
  stretch(from, to) {
    if (this.$root.dataset.into) return;
    this.anchor = from;
    const cells = this.cells();
    const ends = [cells.indexOf(from), cells.indexOf(to)].sort((a, b) => a - b);
    pickStretch(cells.slice(ends[0], ends[1] + 1).map((cell) => cell.dataset.number));
  },
  press(event) {
    const cell = event.target.closest(".cell-link");
    if (!cell || event.button !== 0) return;
    began = cell;
    dragged = false;
  },
  drag(event) {
    const cell = event.target.closest(".cell-link");
    if (!began || !cell || cell === began || !this.$root.contains(began) || !(event.buttons & 1))
      return;
    dragged = true;
    getSelection().removeAllRanges();
    this.stretch(began, cell);
  },
  click(event) {
    const cell = event.target.closest(".cell-link");
    if (!cell) return;
    if (dragged) {
      dragged = false;
      return event.preventDefault();
    }
    if (event.ctrlKey || event.metaKey) return this.pick(event, cell);
    if (event.shiftKey) {
      event.preventDefault();
      return this.stretch(this.anchor || cell, cell);
    }
    this.anchor = cell;
    this.open(event, cell);
  },
  open(event, cell) {
    if (!cell?.dataset.number) return;
    event.preventDefault();
    this.mark(cell);
    const field = document.getElementById(this.$root.dataset.into);
    if (field) return fill(field, "+" + cell.dataset.number);
    showCard(cell.getAttribute("href"));
  },
  mark(cell) {
    document.querySelectorAll(".cell-link.is-chosen").forEach((other) => {
      other.classList.remove("is-chosen");
      other.removeAttribute("aria-current");
    });
    cell.classList.add("is-chosen");
    cell.setAttribute("aria-current", "true");
  },
});

const place = () => location.pathname + location.search;
let shown = place();

async function showCard(address) {
  await htmx.ajax("GET", address, { target: "#card", swap: "innerHTML" });
  history.pushState({}, "", address);
  shown = place();
  document.querySelector("#card").hidden = false;
  document.querySelector("#main").classList.add("has-card");
}

// Back from a card is another page; a jump within the page (to the card, to the content) is not.
addEventListener("popstate", () => {
  if (document.querySelector(".blockmap") && place() !== shown) location.reload();
});
