// One stream of changes for all pages of a browser: a browser keeps only six connections to a
// server, and each open page would take one of them. Pages say whom they act for; the stream begins
// anew when that has changed.
const pages = new Set();
let source = null;
let of = null;
let last = null;

onconnect = ({ ports: [port] }) => {
  pages.add(port);
  port.onmessage = ({ data }) => hear(port, data);
};

function hear(port, data) {
  if (data.leaves) return pages.delete(port);
  if (data.of !== of || !source || source.readyState === EventSource.CLOSED) return begin(data.of);
  if (last) port.postMessage({ counter: last });
}

function begin(whom) {
  source?.close();
  of = whom;
  last = null;
  source = new EventSource("/events");
  source.onmessage = ({ data }) => {
    last = data;
    tell({ counter: data });
  };
  source.onerror = () => source.readyState === EventSource.CLOSED && tell({ ended: true });
}

function tell(what) {
  pages.forEach((port) => port.postMessage(what));
}
