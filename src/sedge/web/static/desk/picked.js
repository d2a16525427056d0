// The numbers that have been picked, on maps and in lists alike. They stay picked while one looks
// around in this tab.
import { say } from "./say.js";

const KEPT = "picked numbers";
const MOST = 10000;
const picked = new Set(JSON.parse(sessionStorage.getItem(KEPT) || "[]"));

export function toggle(number) {
  picked.has(number) ? picked.delete(number) : picked.add(number);
  changed();
}

export function pickStretch(numbers) {
  numbers.forEach((number) => picked.add(number));
  changed();
}

function changed() {
  while (picked.size > MOST) picked.delete(picked.values().next().value);
  sessionStorage.setItem(KEPT, JSON.stringify([...picked]));
  show();
}

export function show() {
  document.querySelectorAll("a[data-number]").forEach((cell) => {
    cell.classList.toggle("is-picked", picked.has(cell.dataset.number));
    cell.parentElement.setAttribute("aria-selected", String(picked.has(cell.dataset.number)));
  });
  document.querySelectorAll("input[data-number]").forEach((box) => {
    box.checked = picked.has(box.dataset.number);
    box.closest("tr").classList.toggle("is-picked", box.checked);
  });
  const bar = document.querySelector("#picked-form");
  if (!bar) return;
  bar.hidden = picked.size === 0;
  bar.elements.numbers.value = [...picked].sort().join(",");
  bar.querySelector("[data-picked-count]").textContent =
    picked.size === 1 ? "1 number picked" : picked.size + " numbers picked";
}

export const pickedBar = () => ({
  init() {
    show();
    document.addEventListener("htmx:afterSettle", show);
    document.addEventListener("sedge:redrawn", show);
    document.addEventListener("change", (event) => {
      if (event.target.matches("input[data-number]")) toggle(event.target.dataset.number);
    });
    document.addEventListener("click", (event) => {
      if (event.target.closest("[data-pick-all]")) pickAll();
      if (event.target.closest("[data-picked-none]")) pickNone();
      if (event.target.closest("[data-picked-copy]")) copy();
    });
    document.addEventListener("keydown", (event) => {
      const row = event.target.closest?.("tr")?.querySelector("input[data-number]");
      if (event.key === "x" && row && !event.target.matches("input, textarea, select"))
        toggle(row.dataset.number);
    });
    this.$root.addEventListener("submit", () => {
      document.querySelectorAll("input[data-number]").forEach((box) => box.removeAttribute("form"));
    });
  },
});

function pickAll() {
  pickStretch(
    [...document.querySelectorAll("input[data-number]")].map((box) => box.dataset.number),
  );
}

export function pickNone() {
  picked.clear();
  changed();
}

async function copy() {
  const lines = [...picked].sort().map((number) => "+" + number);
  try {
    await navigator.clipboard.writeText(lines.join("\n"));
    say("Copied " + lines.length + " numbers");
  } catch {
    say("The browser does not let Sedge copy here.", "problem");
  }
}
