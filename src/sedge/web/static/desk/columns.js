// The columns of a list, ticked: sent as one short value.
export const columns = () => ({
  send(event) {
    const ticked = [...event.target.querySelectorAll("input[name=column]:checked")];
    this.$refs.show.value = ["number", ...ticked.map((box) => box.value)].join(",");
    event.target.querySelectorAll("input[name=column]").forEach((box) => (box.disabled = true));
  },
});
