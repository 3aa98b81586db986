/**
 * Entry of the worker that all tabs of a browser share: it holds the one stream of events for them, since a browser opens
 * six connections to a server at most, and a tab that keeps one for itself takes it from the others.
 */
export type FromStream = { connected: boolean } | { data: string };

const ports: MessagePort[] = [];
let connected = false;
const source = new EventSource('/api/events');

function tell(message: FromStream): void {
  for (const port of ports) port.postMessage(message);
}
source.onopen = () => tell({ connected: (connected = true) });
source.onerror = () => tell({ connected: (connected = false) });
source.onmessage = ({ data }: MessageEvent<string>) => tell({ data });

addEventListener('connect', (event) => {
  const [port] = (event as MessageEvent).ports;
  // a tab that comes later gets no greeting of the server's
  if (connected) {
    port.postMessage({ connected } satisfies FromStream);
    port.postMessage({ data: JSON.stringify({ type: 'hello' }) } satisfies FromStream);
  }
  ports.push(port);
  port.onmessage = () => {
    ports.splice(ports.indexOf(port), 1);
  };
});
