// Rows of a form whose order counts: moved up and down, taken out, and one more blank one.
export const rows = () => ({
  move(event) {
    const button = event.target.closest("[data-row-does]");
    if (!button) return;
    const row = button.closest("tr");
    const does = button.dataset.rowDoes;
    if (does === "up" && row.previousElementSibling) row.previousElementSibling.before(row);
    if (does === "down" && row.nextElementSibling) row.nextElementSibling.after(row);
    if (does === "remove") return this.remove(row);
    button.focus();
    this.changed();
  },
  remove(row) {
    const next = row.nextElementSibling || row.previousElementSibling;
    if (!next) row.querySelectorAll("input").forEach((field) => (field.value = ""));
    else row.remove();
    (next || row).querySelector("input").focus();
    this.changed();
  },
  add() {
    const body = this.$root.querySelector("tbody");
    const row = body.lastElementChild.cloneNode(true);
    row
      .querySelectorAll("input")
      .forEach((field) => (field.value = field.name === "strip" ? "0" : ""));
    row.querySelectorAll("select").forEach((field) => (field.selectedIndex = 0));
    body.append(row);
    row.querySelector("input").focus();
  },
  changed() {
    this.$root.dispatchEvent(new Event("change", { bubbles: true }));
  },
});
