// Several people, groups or devices out of many, in their order: what is typed is looked for among
// the options of a plain list and, where the list is not all there is, on the server. Without
// scripts the list itself is the field.
const SOON = 200;
const ROWS = 12;

const made = (tag, attributes = {}, ...inside) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...inside);
  return element;
};
const plain = (text) => text.toLowerCase().normalize("NFD").replace(/\p{M}/gu, "");

export const pickMany = () => ({
  // named here, as what is set without that would belong to the page
  name: "",
  called: "",
  known: [],
  chosen: null,
  found: null,
  text: null,
  said: null,
  dragged: null,
  soon: 0,
  init() {
    const select = this.$root.querySelector("select");
    this.name = select.name;
    this.called = select.labels[0].textContent;
    this.known = [...select.options].map((option) => ({
      value: option.value,
      name: option.textContent.trim(),
      detail: option.dataset.detail ?? "",
      also: option.dataset.also ?? "",
    }));
    this.draw(select);
    const order = (this.$root.dataset.chosen ?? "").split(" ").filter(Boolean);
    const chosen = [...select.selectedOptions].map((option) => option.value);
    const at = (value) => (order.indexOf(value) + 1 || order.length + 1);
    for (const value of chosen.sort((a, b) => at(a) - at(b)))
      this.chosen.append(this.row(this.known.find((one) => one.value === value)));
    select.remove();
    this.$root.parentElement.querySelector(":scope > [data-without-picker]")?.remove();
    this.number();
  },
  draw(select) {
    const key = select.id;
    this.chosen = made("ol", {
      class: "picked-many list-group mb-1", "aria-label": `${this.called}: chosen`,
    });
    this.found = made("ul", {
      class: "pick-found dropdown-menu w-100 top-100", role: "listbox", id: `${key}-found`,
      "aria-label": `${this.called}: found`, hidden: "",
    });
    this.text = made("input", {
      id: key, type: "text", role: "combobox", autocomplete: "off", "aria-expanded": "false",
      "aria-controls": `${key}-found`, "aria-autocomplete": "list",
      placeholder: this.$root.dataset.hint || "Type part of a name",
    });
    this.said = made("span", { class: "visually-hidden", role: "status" });
    const field = made("div", { class: "position-relative" }, this.text, this.found);
    this.$root.querySelector("label").after(this.chosen, field, this.said);
    this.text.addEventListener("input", () => this.look());
    this.text.addEventListener("click", () => this.look());
    this.text.addEventListener("keydown", (event) => this.keys(event));
    this.text.addEventListener("blur", () => setTimeout(() => this.close(), SOON));
    this.found.addEventListener("mousedown", (event) => event.preventDefault());
    this.found.addEventListener("click", (event) => this.take(event.target.closest("li")));
    this.chosen.addEventListener("click", (event) => this.act(event));
    this.chosen.addEventListener("dragstart", (event) => (this.dragged = event.target));
    this.chosen.addEventListener("dragover", (event) => this.drag(event));
    this.chosen.addEventListener("drop", (event) => this.changed(event.preventDefault()));
  },
  row({ value, name, detail }) {
    const button = (does, words, sign) =>
      made("button", {
        type: "button", class: "btn btn-sm py-0", "data-does": does,
        "aria-label": `${words} ${name}`,
      }, sign);
    const moves = this.$root.dataset.ordered === undefined ? [] : [
      button("up", "Move up", "\u2191"), button("down", "Move down", "\u2193"),
    ];
    const row = made("li", {
      class: "list-group-item d-flex align-items-center py-1 px-2",
      draggable: String(moves.length > 0),
    },
      made("span", { class: "flex-fill" }, name, " ", made("span", { class: "soft" }, detail)),
      ...moves, button("remove", "Remove", "\u00d7"),
      made("input", { type: "hidden", name: this.name, value }));
    return row;
  },
  act({ target }) {
    const button = target.closest("button");
    const row = target.closest("li");
    if (!button) return;
    const does = button.dataset.does;
    if (does === "up") row.previousElementSibling?.before(row);
    if (does === "down") row.nextElementSibling?.after(row);
    if (does === "remove") row.remove();
    (does === "remove" ? this.text : button).focus();
    this.changed();
  },
  drag(event) {
    const row = event.target.closest("li");
    if (!row || !this.dragged || row === this.dragged) return;
    event.preventDefault();
    const box = row.getBoundingClientRect();
    row[event.clientY < box.top + box.height / 2 ? "before" : "after"](this.dragged);
  },
  values() {
    return [...this.chosen.querySelectorAll("input")].map((input) => input.value);
  },
  async look() {
    const typed = plain(this.text.value).split(/\s+/).filter(Boolean);
    const taken = new Set(this.values());
    const fits = ({ name, detail, also }) =>
      typed.every((word) => plain(`${name} ${detail} ${also}`).includes(word));
    const show = () =>
      this.show(this.known.filter((one) => one.value && !taken.has(one.value) && fits(one)));
    show();
    clearTimeout(this.soon);
    const from = this.$root.dataset.from;
    if (!from || this.text.value.trim().length < 2) return;
    this.soon = setTimeout(async () => {
      const asked = this.text.value;
      const answer = await fetch(from + encodeURIComponent(asked)).catch(() => null);
      if (!answer?.ok || asked !== this.text.value) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      for (const li of page.querySelectorAll("li"))
        if (!this.known.some((one) => one.value === li.dataset.value))
          this.known.push({
            value: li.dataset.value, name: li.dataset.name, detail: li.dataset.detail,
            also: li.dataset.also,
          });
      show();
    }, SOON);
  },
  show(fitting) {
    const rows = fitting.slice(0, ROWS).map(({ value, name, detail }, i) =>
      made("li", {
        class: "dropdown-item text-wrap", role: "option", id: `${this.found.id}-${i}`,
        "data-value": value, "aria-selected": "false",
      }, name, " ", made("span", { class: "soft" }, detail)));
    this.found.replaceChildren(...rows);
    this.open(rows.length > 0 && document.activeElement === this.text);
    this.text.removeAttribute("aria-activedescendant");
    if (this.text.value && rows.length) this.activate(rows, 0);
    this.said.textContent = this.text.value ? `${fitting.length} found` : "";
  },
  keys(event) {
    if (event.key === "Escape" && !this.found.hidden) {
      event.preventDefault();
      event.stopPropagation();
      return this.close();
    }
    const rows = [...this.found.children];
    const at = rows.findIndex((row) => row.getAttribute("aria-selected") === "true");
    if (event.key === "Enter") {
      if (!this.text.value && (at < 0 || this.found.hidden)) return;
      event.preventDefault();
      return this.take(rows[at]);
    }
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    if (this.found.hidden) return this.look();
    if (!rows.length) return;
    const to = at < 0 && by < 0 ? rows.length - 1 : (at + by + rows.length) % rows.length;
    this.activate(rows, to);
  },
  activate(rows, to) {
    rows.forEach((row, i) => {
      row.setAttribute("aria-selected", String(i === to));
      row.classList.toggle("active", i === to);
    });
    this.text.setAttribute("aria-activedescendant", rows[to].id);
    rows[to].scrollIntoView({ block: "nearest" });
  },
  take(row) {
    if (!row) return;
    this.chosen.append(this.row(this.known.find((one) => one.value === row.dataset.value)));
    this.text.value = "";
    this.changed();
    this.close();
    this.text.focus();
  },
  open(isOpen) {
    this.found.classList.toggle("show", isOpen);
    this.found.hidden = !isOpen;
    this.text.setAttribute("aria-expanded", String(isOpen));
  },
  close() {
    this.open(false);
  },
  changed() {
    this.number();
    this.$root.dispatchEvent(new Event("change", { bubbles: true }));
  },
  // The first can't go up, the last can't go down.
  number() {
    const rows = [...this.chosen.children];
    rows.forEach((row, i) => {
      const [up, down] = ["up", "down"].map((does) => row.querySelector(`[data-does=${does}]`));
      if (up) up.disabled = i === 0;
      if (down) down.disabled = i === rows.length - 1;
    });
    this.chosen.hidden = rows.length === 0;
  },
});
