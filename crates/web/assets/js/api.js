// Talks to the server. Every failure becomes an Error whose message can be shown to people.

export async function call(method, path, body) {
  let response;
  try {
    response = await fetch(path, {
      method,
      headers: body === undefined ? {} : { "content-type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw failure(
      "The server cannot be reached. What was saved is kept; this page goes on when the server is back.",
      "offline",
    );
  }
  const text = await response.text();
  let answer = null;
  try {
    answer = text ? JSON.parse(text) : null;
  } catch {
    answer = null;
  }
  if (!response.ok) {
    if (answer?.error === "signed_out") toSignIn();
    throw failure(answer?.message ?? `The server answered ${response.status}.`, answer?.error ?? "unknown");
  }
  return answer;
}

// The session has ended: back to here when there is another.
function toSignIn() {
  const { pathname, search } = window.location;
  window.location.assign(`/sign-in?${new URLSearchParams({ then: pathname + search })}`);
}

export function failure(message, word) {
  const error = new Error(message);
  error.word = word;
  return error;
}

// Calls `receive` for every event about this project or shot; `connected` is told when the stream opens, from when on
// nothing is left out, and when it breaks.
export function listen(about, receive, connected) {
  const concerns = ({ event, project, shot }) =>
    event === "missed" || (project !== undefined && project === about.project) || (shot && shot === about.shot);
  if (!window.SharedWorker) return listenAlone(about, receive, connected);
  // Beside this script: an address with the program's version, so a new program has a new one.
  const { port } = new SharedWorker(new URL("./news.js", import.meta.url), { name: "news" });
  port.onmessage = ({ data }) => {
    if (data.open !== undefined) connected(data.open);
    else if (concerns(data.event)) receive(data.event);
  };
  window.addEventListener("pagehide", () => port.postMessage("bye"));
  // Had from the browser's memory of pages: it is not connected any more.
  window.addEventListener("pageshow", (shown) => shown.persisted && window.location.reload());
}

function listenAlone(about, receive, connected) {
  const source = new EventSource(`/api/events?${new URLSearchParams(about)}`);
  source.onopen = () => connected(true);
  source.onerror = () => connected(false);
  source.onmessage = (message) => receive(JSON.parse(message.data));
}

// At most one call of `work` every `millis`, and always one after the last request.
export function throttled(millis, work) {
  let timer = null;
  let last = 0;
  let latest = [];
  return (...given) => {
    latest = given;
    if (timer !== null) return;
    const wait = Math.max(0, last + millis - performance.now());
    timer = setTimeout(() => {
      timer = null;
      last = performance.now();
      work(...latest);
    }, wait);
  };
}
