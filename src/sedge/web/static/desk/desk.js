// The whole page: keys that work everywhere, copy on click, printing, the list of shortcuts.
import { fillFrom } from "./fill.js";
import { say } from "./say.js";

const inField = (element) => element.matches("input, textarea, select, [contenteditable]");

const WAIT = 1500; // milliseconds for the letter after g

export const desk = () => ({
  goes: false,
  awaitPlace() {
    this.goes = true;
    setTimeout(() => (this.goes = false), WAIT);
  },
  go(event) {
    this.goes = false;
    const place = document.querySelector('[data-go="' + CSS.escape(event.key) + '"]');
    if (!place) return;
    event.preventDefault();
    location.href = place.href;
  },
  keys(event) {
    if (event.defaultPrevented) return;
    if (event.ctrlKey && event.key === "Enter") return this.run(event);
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "Escape" && !document.querySelector("dialog[open]"))
      return this.press("[data-close]", event);
    if (inField(event.target)) return;
    if (this.goes) return this.go(event);
    if (event.key === "g") return this.awaitPlace();
    if (event.key === "/") this.focus("#finder-text", event);
    if (event.key === "?") {
      event.preventDefault();
      this.shortcuts();
    }
    if (event.key === "ArrowDown" || event.key === "ArrowUp") this.alongRows(event);
  },
  // Where something stops it, a press leads to the remedies; where something warns, the first press
  // only leads to the button.
  run(event) {
    const mending = document.querySelector(
      ".runbar [action$='/remedies'] button, .runbar [hx-post$='/remedies'] button",
    );
    if (mending && document.querySelector("[data-run][disabled]")) {
      event.preventDefault();
      mending.focus();
      return say("It can't run yet. Enter adds the remedies.");
    }
    const button = document.querySelector("[data-run]:not([disabled])");
    if (!button?.dataset.warned || document.activeElement === button)
      return this.press("[data-run]:not([disabled])", event);
    event.preventDefault();
    button.focus();
    say(button.dataset.warned + ". Press again to run it all the same.");
  },
  press(what, event) {
    const button = document.querySelector(what);
    if (!button) return;
    event.preventDefault();
    button.click();
  },
  focus(what, event) {
    event.preventDefault();
    document.querySelector(what)?.focus();
  },
  alongRows(event) {
    const row = event.target.closest("[data-rows] [data-row]");
    if (!row) return;
    event.preventDefault();
    const rows = [...row.closest("[data-rows]").querySelectorAll("[data-row]")];
    const step = event.key === "ArrowDown" ? 1 : -1;
    rows[(rows.indexOf(row) + step + rows.length) % rows.length].focus();
  },
  clicked(event) {
    const copied = event.target.closest("[data-copy]");
    if (copied && !getSelection().toString()) this.copy(copied.dataset.copy);
    fillFrom(event);
    if (event.target.closest("[data-shortcuts]")) this.shortcuts();
    if (event.target.closest("[data-print]")) print();
  },
  async copy(text) {
    try {
      await navigator.clipboard.writeText(text);
      say("Copied " + text);
    } catch {
      say("Select and copy by hand: " + text);
    }
  },
  shortcuts() {
    document.querySelector("#shortcuts")?.showModal();
  },
});
