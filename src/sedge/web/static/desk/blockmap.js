// A block map: one stop of the tab order, arrows inside; a chosen cell opens its card beside the map.
const COLUMNS = 20;
const STEPS = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: COLUMNS, ArrowUp: -COLUMNS };

export const blockMap = () => ({
  keys(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === " ") return this.open(event, event.target);
    const next = this.towards(event);
    if (!next) return;
    event.preventDefault();
    this.cells().forEach((cell) => cell.setAttribute("tabindex", "-1"));
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
    const step = STEPS[event.key];
    if (!step) return null;
    const wanted = Number(event.target.dataset.at) + step;
    return step > 0 ? cells.find((c) => Number(c.dataset.at) >= wanted) : cells.findLast((c) => Number(c.dataset.at) <= wanted);
  },
  choose(event) {
    const cell = event.target.closest(".cell-link");
    if (cell && !event.ctrlKey && !event.metaKey && !event.shiftKey) this.open(event, cell);
  },
  open(event, cell) {
    event.preventDefault();
    document.querySelectorAll(".cell-link.is-chosen").forEach((other) => {
      other.classList.remove("is-chosen");
      other.removeAttribute("aria-current");
    });
    cell.classList.add("is-chosen");
    cell.setAttribute("aria-current", "true");
    showCard(cell.getAttribute("href"));
  },
});

async function showCard(address) {
  await htmx.ajax("GET", address, { target: "#card", swap: "innerHTML" });
  history.pushState({}, "", address);
  document.querySelector("#card").hidden = false;
  document.querySelector("#main").classList.add("has-card");
}

addEventListener("popstate", () => {
  if (document.querySelector(".blockmap")) location.reload();
});
