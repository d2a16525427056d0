// The finder in the head: arrows walk through what was found, Enter opens it where it is the only thing, Escape leaves.
export const finder = () => ({
  keys(event) {
    if (event.key === "Escape") return this.leave(event);
    if (event.key === "Enter") return this.open(event);
    if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
    event.preventDefault();
    const stops = [this.$refs.text, ...this.$refs.found.querySelectorAll("a")];
    const step = event.key === "ArrowDown" ? 1 : -1;
    stops[(stops.indexOf(document.activeElement) + step + stops.length) % stops.length].focus();
  },
  open(event) {
    const links = this.$refs.found.querySelectorAll("a");
    const isFor = this.$refs.found.querySelector("[data-for]")?.dataset.for;
    if (document.activeElement !== this.$refs.text || links.length !== 1 || isFor !== this.$refs.text.value) return;
    event.preventDefault();
    links[0].click();
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
  },
});
