// A list that opens under its button and closes when one looks elsewhere.
export const pick = () => ({
  close() {
    this.$el.open = false;
  },
  escape(event) {
    if (!this.$root.open) return;
    event.preventDefault();
    this.$root.open = false;
    this.$root.querySelector("summary").focus();
  },
});
