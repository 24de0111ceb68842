// One stream of news for all pages of a browser: it keeps only a few connections to a server, and each page with one of
// its own would use them up.
const AGAIN = 5000; // Milliseconds until a stream that was refused is asked for again; one that breaks comes back by itself.
const pages = new Set();
let open = false;

const tell = (message) => pages.forEach((page) => page.postMessage(message));

function listen() {
  const source = new EventSource("/api/events?all=true");
  source.onopen = () => tell({ open: (open = true) });
  source.onerror = () => {
    tell({ open: (open = false) });
    if (source.readyState === EventSource.CLOSED) setTimeout(listen, AGAIN);
  };
  source.onmessage = (message) => tell({ event: JSON.parse(message.data) });
}

onconnect = ({ ports: [page] }) => {
  pages.add(page);
  page.onmessage = () => pages.delete(page); // The page goes.
  if (open) page.postMessage({ open });
};
listen();
