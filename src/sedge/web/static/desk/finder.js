// The finder in the head: arrows walk through what was found, Escape leaves.
export const finder = () => ({
  keys(event) {
    if (event.key === "Escape") return this.leave(event);
    if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
    event.preventDefault();
    const stops = [this.$refs.text, ...this.$refs.found.querySelectorAll("a")];
    const step = event.key === "ArrowDown" ? 1 : -1;
    stops[(stops.indexOf(document.activeElement) + step + stops.length) % stops.length].focus();
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
