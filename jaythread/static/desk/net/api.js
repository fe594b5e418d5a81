// Talking to the server.

function cookie(name) {
  const found = document.cookie.split("; ").find((c) => c.startsWith(name + "="));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

// Whose page this is: the server takes nothing of it once somebody else is signed in.
const signedAs = () => document.getElementById?.("desk")?.dataset.who || "";

export class Answer extends Error {
  constructor(status, body) {
    super(body.message || (status === 401 ? "You are signed out." : "The server did not understand."));
    this.status = status;
    this.body = body;
  }
}

export async function call(method, path, body, signal) {
  const options = { method, signal, headers: { "X-CSRFToken": cookie("csrftoken"), "X-Signed-As": signedAs() } };
  if (body instanceof FormData) options.body = body;
  else if (body !== undefined) {
    options.headers["Content-Type"] = "application/json";
    options.body = JSON.stringify(body);
  }
  const reply = await fetch("/api" + path, options);
  if (!reply.ok) {
    let said = { message: `The server answered ${reply.status}.` };
    try {
      said = await reply.json();
    } catch {
      /* not JSON: the number says it */
    }
    throw new Answer(reply.status, said);
  }
  return reply;
}

export const get = (path) => call("GET", path).then((r) => r.json());
// What the page has asked for while it was still coming (a link of the kind "preload"): the same request takes its answer.
export const early = (path) => fetch("/api" + path).then((reply) => (reply.ok ? reply.json() : get(path)));
export const post = (path, body) => call("POST", path, body).then((r) => r.json());
export const newId = () => crypto.randomUUID();
