// Small behaviours of the management pages: progress that moves by itself.

// Ask an address again and again: take says whether to go on, and is given null when the server does not answer.
 
function follow(url, take, every, begin = every) {
  const look = async () => {
    const answer = await fetch(url).then((r) => (r.ok ? r.json() : null)).catch(() => null);
    if (await take(answer)) setTimeout(look, every);
  };
  setTimeout(look, begin);
}

document.addEventListener("alpine:init", () => {
  Alpine.data("plates", () => ({
    init() {
      if (!this.$el.querySelector("[data-plate]")) return;
      follow(this.$el.dataset.states, (answer) => {
        if (!answer) return true;
        const newest = new Map(), kind = this.$el.dataset.kind || "plate.decode", doing = { "plate.show": "made", "plate.changes": "looked at" }[kind] || "decoding";
        for (const job of answer.jobs) if (job.kind === kind && !newest.has(job.subject)) newest.set(job.subject, job);
        for (const cell of this.$el.querySelectorAll("[data-plate]")) {
          const job = newest.get(cell.dataset.plate);
          if (!job || !["waiting", "working"].includes(job.state)) return location.reload();
          cell.querySelector("span").textContent = job.state === "waiting" ? "waiting for a worker" : `${doing} ${job.done} of ${job.total}${job.left ? `, ${job.left}` : ""}`;
          cell.querySelector("i").style.width = `${job.percent}%`;
        }
        return true;
      }, 700, 400);
    },
  }));

  Alpine.data("sending", () => ({
    busy: false,
    trouble: "",
    words: "",
    bar: "width: 0%",
    async send(event) {
      event.preventDefault();
      if (this.busy) return;
      const form = event.target, { from = String(32 << 20), piece, who } = form.dataset;
      const fields = new FormData(form), files = [...form.querySelectorAll("input[type=file]")].flatMap((input) => [...input.files]);
      this.busy = true;
      this.trouble = "";
      if (files.reduce((sum, file) => sum + file.size, 0) < Number(from)) return this.post(fields);
      const { sendInPieces, forget } = await import(form.dataset.pieces);
      for (const input of form.querySelectorAll("input[type=file]")) fields.delete(input.name);
      try {
        const told = (done, all) => (done === null ? (this.words = "The connection is gone. Sending goes on by itself when it is back.") : this.tell(done, all));
        for (const id of await sendInPieces(files, { who, told, ...(piece ? { piece: Number(piece) } : {}) })) fields.append("upload", id);
        this.post(fields, () => forget(files, who));
      } catch (error) {
        this.busy = false;
        this.trouble = error.constructor.name === "Refused" ? error.message : "The connection stays gone. What was sent is kept for a week: press the button again to go on.";
      }
    },
    tell(done, all) {
      const percent = Math.floor((100 * done) / all);
      this.bar = `width: ${percent}%`;
      this.words = percent < 100 ? `Sending ${percent} %` : "Looking at what was sent";
    },
    post(fields, taken = () => {}) {
      const request = new XMLHttpRequest();
      request.upload.addEventListener("progress", (e) => this.tell(e.loaded, e.total));
      request.addEventListener("load", () => {
        if (request.responseURL !== location.href) {
          taken();
          return location.assign(request.responseURL);
        }
        document.open();
        document.write(request.responseText);
        document.close();
      });
      request.addEventListener("error", () => {
        this.busy = false;
        this.trouble = "The connection was lost while sending. Nothing was taken; try again.";
      });
      request.open("POST", location.href);
      request.send(fields);
    },
  }));

  Alpine.data("delivery", () => ({
    words: "waiting for a worker",
    bar: "width: 0%",
    init() {
      const ended = ["proved", "failed", "cancelled", "paused", "held up"];
      if (ended.includes(this.$el.dataset.state)) return;
      follow(this.$el.dataset.url, (now) => {
        if (!now) return true;
        if (ended.includes(now.state)) return location.reload();
        const movie = now.state === "reading back" && now.done < now.total; // its pictures are made while it is written
        document.getElementById("state").textContent = movie ? "making the movie" : now.state;
        const reading = now.state === "reading back" && !movie;
        const count = reading ? now.checked : now.done;
        if (now.state !== "waiting") this.words = `${reading ? "read back" : movie ? "made" : "rendered"} ${count} of ${now.total} frames`;
        this.bar = `width: ${(100 * count) / now.total}%`;
        if (now.left !== null) this.words += `, about ${now.left < 90 ? `${now.left} s` : `${Math.round(now.left / 60)} min`} left`;
        for (const at of now.frames) document.querySelector(`[data-at="${at}"]`).classList.add("done");
        return true;
      }, 400, 300);
    },
  }));
});
