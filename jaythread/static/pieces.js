// Sends files in pieces by the open protocol tus 1.0.0, so that a lost connection, or a page that was closed, costs one piece at most.

const PIECE = 8 << 20;
const WAITS = [1, 2, 4, 8, 15, 30, 30, 60, 60, 120]; // seconds

const PATIENCE = 30; // seconds for an answer, and for a piece what it takes at
const SLOWEST = 16 << 10; // bytes a second

const pause = (seconds) => new Promise((done) => setTimeout(done, 1000 * seconds));

// What is known of a file that was begun earlier, in this browser, by this person.
const keyOf = (file, who) => `jay-upload ${who} ${file.name} ${file.size} ${file.lastModified}`;

class Refused extends Error {}

// A line that breaks can swallow a request without a word: it is given up when the browser notices, or when no line is that slow.
async function patiently(url, settings) {
  const given = new AbortController(), up = () => given.abort();
  const late = setTimeout(up, 1000 * (PATIENCE + (settings.body?.size ?? 0) / SLOWEST));
  addEventListener("offline", up);
  try {
    return await fetch(url, { ...settings, signal: given.signal });
  } finally {
    clearTimeout(late);
    removeEventListener("offline", up);
  }
}

async function ask(url, method, heads, body) {
  const sign = document.querySelector("[name=csrfmiddlewaretoken]").value;
  const reply = await patiently(url, { method, body, headers: { "Tus-Resumable": "1.0.0", "X-CSRFToken": sign, ...heads } });
  if (reply.redirected) throw new Refused("You are signed out. Sign in again in another window, then press the button once more.");
  if ([403, 413, 422, 429, 507].includes(reply.status)) {
    const page = new DOMParser().parseFromString(await reply.text(), "text/html");
    throw new Refused(page.querySelector("main h1, main p")?.textContent || "That cannot be taken.");
  }
  return reply;
}

async function begun(file, who) {
  const known = localStorage.getItem(keyOf(file, who));
  if (known) {
    const there = await ask(known, "HEAD", {});
    if (there.ok && Number(there.headers.get("Upload-Length")) === file.size) return { url: known, at: Number(there.headers.get("Upload-Offset")) };
  }
  const name = btoa(String.fromCharCode(...new TextEncoder().encode(file.name)));
  const made = await ask("/uploads", "POST", { "Upload-Length": String(file.size), "Upload-Metadata": `filename ${name}` });
  if (made.status !== 201) throw new Error(`answered with ${made.status}`);
  const url = made.headers.get("Location");
  localStorage.setItem(keyOf(file, who), url);
  return { url, at: 0 };
}

async function sendOne(file, { who, piece, told }) {
  let tries = 0, last = -1;
  for (;;) {
    try {
      const { url, at: there } = await begun(file, who);
      let at = there;
      while (at < file.size) {
        told(at);
        if (at > last) [tries, last] = [0, at];
        const heads = { "Content-Type": "application/offset+octet-stream", "Upload-Offset": String(at) };
        const reply = await ask(url, "PATCH", heads, file.slice(at, at + piece));
        if (reply.status === 204) at = Number(reply.headers.get("Upload-Offset"));
        else throw new Error(`answered with ${reply.status}`); // where it stands is asked for anew
      }
      told(file.size);
      return url.split("/").pop();
    } catch (error) {
      if (error instanceof Refused || tries >= WAITS.length) throw error;
      told(null);
      await pause(WAITS[tries++]);
    }
  }
}

// All files, one after the other; their ids. told: hears how many bytes are there of how many, or null while the connection is gone.
export async function sendInPieces(files, { who, piece = PIECE, told }) {
  const all = files.reduce((sum, file) => sum + file.size, 0), ids = [];
  let before = 0;
  for (const file of files) {
    const start = before;
    ids.push(await sendOne(file, { who, piece, told: (at) => told(at === null ? null : start + at, all) }));
    before += file.size;
  }
  return ids;
}

export function forget(files, who) {
  for (const file of files) localStorage.removeItem(keyOf(file, who));
}
