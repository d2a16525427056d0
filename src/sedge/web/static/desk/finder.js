// The finder in the head, a combobox: arrows walk through what was found, Enter opens what is
// active (the answer says what is at first), Escape empties the list, then the field.
export const finder = () => ({
  keys(event) {
    if (event.key === "Escape") return this.leave(event);
    if (event.key === "Enter") return this.open(event);
    const options = this.options();
    const to = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!to || !options.length) return;
    event.preventDefault();
    const at = options.findIndex((option) => option.getAttribute("aria-selected") === "true");
    this.activate(
      options[at < 0 && to < 0 ? options.length - 1 : (at + to + options.length) % options.length],
    );
  },
  options() {
    return [...this.$refs.found.querySelectorAll("a[role=option]")];
  },
  activate(option) {
    this.options().forEach((each) => each.setAttribute("aria-selected", each === option));
    this.$refs.text.setAttribute("aria-activedescendant", option.id);
    option.scrollIntoView({ block: "nearest" });
  },
  shown() {
    const many = this.options().length;
    this.$refs.text.setAttribute("aria-expanded", this.$refs.found.childElementCount > 0);
    const first = this.$refs.found.querySelector("[aria-selected=true]");
    if (first) this.activate(first);
    else this.$refs.text.removeAttribute("aria-activedescendant");
    this.$refs.count.textContent = this.$refs.text.value ? many + " found" : "";
  },
  open(event) {
    const active = this.$refs.found.querySelector("[aria-selected=true]");
    const isFor = this.$refs.found.querySelector("[data-for]")?.dataset.for;
    if (!active || isFor !== this.$refs.text.value) return;
    event.preventDefault();
    active.click();
  },
  // A field of one line would run pasted lines together: several go to a page of their own.
  paste(event) {
    const text = event.clipboardData.getData("text");
    if (!/[\n\t]/.test(text.trim()) && text.length < 400) return;
    event.preventDefault();
    const form = document.createElement("form");
    form.method = "post";
    form.action = "/numbers/paste";
    const field = document.createElement("textarea");
    field.name = "text";
    field.value = text;
    form.append(field);
    form.hidden = true;
    document.body.append(form);
    form.submit();
  },
  leave(event) {
    event.preventDefault();
    this.close();
    this.$refs.text.blur();
  },
  close() {
    this.$refs.found.replaceChildren();
    this.shown();
  },
});
