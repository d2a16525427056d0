// An address typed in one line: what the register has is offered, and what is chosen fills the
// fields of the form.
import { fillFields } from "./problems.js";

const SOON = 250;
const LEAST = 5;

export const addressLine = () => ({
  // named here, as what is set without that would belong to the page
  text: null,
  found: null,
  said: null,
  soon: 0,
  init() {
    this.text = this.$root.querySelector("input");
    this.found = this.$root.querySelector("ul");
    this.said = this.$root.querySelector("[role=status]");
    this.text.addEventListener("input", () => this.look());
    this.text.addEventListener("keydown", (event) => this.keys(event));
    this.text.addEventListener("blur", () => setTimeout(() => this.open(false), SOON));
    this.found.addEventListener("mousedown", (event) => event.preventDefault());
    this.found.addEventListener("click", ({ target }) =>
      this.take(target.closest("[data-fields]")));
  },
  look() {
    clearTimeout(this.soon);
    const typed = this.text.value;
    if (typed.trim().length < LEAST) return this.open(false);
    this.soon = setTimeout(async () => {
      const country = this.$root.closest("form").elements.country?.value;
      const asked = new URLSearchParams({
        country: country ?? this.$root.dataset.country, line: typed,
      });
      const answer = await fetch(`/safety/addresses/found?${asked}`).catch(() => null);
      if (!answer?.ok || typed !== this.text.value) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      const rows = [...page.querySelectorAll("li")];
      this.found.replaceChildren(...rows);
      this.open(rows.length > 0 && document.activeElement === this.text);
      const options = this.options();
      if (options.length) this.activate(options, 0);
      this.said.textContent = `${options.length} found`;
    }, SOON);
  },
  options() {
    return [...this.found.querySelectorAll("[data-fields]")];
  },
  keys(event) {
    if (event.key === "Escape" && !this.found.hidden) {
      event.preventDefault();
      event.stopPropagation();
      return this.open(false);
    }
    const rows = this.options();
    const at = rows.findIndex((row) => row.getAttribute("aria-selected") === "true");
    if (event.key === "Enter") {
      event.preventDefault();
      return this.found.hidden ? this.look() : this.take(rows[at]);
    }
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!by || !rows.length) return;
    event.preventDefault();
    if (this.found.hidden) return this.open(true);
    this.activate(rows, (at + by + rows.length) % rows.length);
  },
  activate(rows, to) {
    rows.forEach((row, i) => {
      row.setAttribute("aria-selected", String(i === to));
      row.classList.toggle("active", i === to);
    });
    this.text.setAttribute("aria-activedescendant", rows[to].id);
  },
  take(row) {
    if (!row) return;
    this.text.value = row.firstChild.textContent.trim();
    this.open(false);
    this.said.textContent = "The fields are filled.";
    fillFields(this.$root.closest("form"), JSON.parse(row.dataset.fields));
  },
  open(isOpen) {
    this.found.classList.toggle("show", isOpen);
    this.found.hidden = !isOpen;
    this.text.setAttribute("aria-expanded", String(isOpen));
    if (!isOpen) this.text.removeAttribute("aria-activedescendant");
  },
});
