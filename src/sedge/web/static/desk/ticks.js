// The boxes of a list, ticked or cleared all at once.
export const ticks = () => ({
  all() {
    this.$root.querySelectorAll("input[type=checkbox]").forEach((box) => (box.checked = true));
  },
  none() {
    this.$root.querySelectorAll("input[type=checkbox]").forEach((box) => (box.checked = false));
  },
});
