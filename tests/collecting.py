"""A collector of traces on loopback, which is also a service that is called."""

import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest


class Collector:
    """What came: spans by their names, and the trace that each asker says it continues."""

    def __init__(self) -> None:
        self.spans, self.continued = {}, []
        collector = self

        class Answer(BaseHTTPRequestHandler):
            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                asked = ExportTraceServiceRequest.FromString(body)
                for resource in asked.resource_spans:
                    for scope in resource.scope_spans:
                        collector.spans |= {s.name: s for s in scope.spans}
                self._say(b"", "application/x-protobuf")

            def do_GET(self):
                collector.continued.append(self.headers["traceparent"])
                self._say(b"{}", "application/json")

            def _say(self, body, kind):
                self.send_response(200)
                self.send_header("Content-Type", kind)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_args):
                pass

        self._server = HTTPServer(("127.0.0.1", 0), Answer)
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()
        self.url = f"http://127.0.0.1:{self._server.server_port}"

    def stop(self) -> None:
        self._server.shutdown()
        self._thread.join(10)
        self._server.server_close()
