// A list in groups shows those that go with what another field has chosen.
export const choiceOf = () => ({
  groups: [],
  init() {
    const list = this.$el;
    const of = list.form.elements.namedItem(list.dataset.of);
    this.groups = [...list.querySelectorAll("optgroup")];
    of.addEventListener("change", () => this.narrow(list, of.value));
    this.narrow(list, of.value);
  },
  narrow(list, key) {
    const chosen = list.value;
    list.querySelectorAll("optgroup").forEach((group) => group.remove());
    list.append(...this.groups.filter((group) => !key || group.dataset.key === key));
    list.value = chosen;
    if (list.selectedIndex < 0) list.selectedIndex = 0;
  },
});
