// Small behaviours of the management pages: progress that moves by itself.
document.addEventListener("alpine:init", () => {
  Alpine.data("plates", () => ({
    init() {
      if (!this.$el.querySelector("[data-plate]")) return;
      const url = this.$el.dataset.states;
      const look = async () => {
        const answer = await fetch(url).then((r) => r.json());
        let busy = false;
        for (const plate of answer.plates) {
          const cell = this.$el.querySelector(`[data-plate="${plate.id}"]`);
          if (!cell) continue;
          if (plate.state !== "waiting" && plate.state !== "working") return location.reload();
          busy = true;
          cell.querySelector("span").textContent = plate.state === "waiting" ? "waiting for a worker" : `decoding ${plate.done} of ${plate.total}`;
          cell.querySelector("i").style.width = `${plate.percent}%`;
        }
        if (busy) setTimeout(look, 700);
      };
      setTimeout(look, 400);
    },
  }));

  Alpine.data("sending", () => ({
    busy: false,
    words: "",
    bar: "width: 0%",
    send(event) {
      event.preventDefault();
      const request = new XMLHttpRequest();
      this.busy = true;
      request.upload.addEventListener("progress", (e) => {
        const percent = Math.round((100 * e.loaded) / e.total);
        this.bar = `width: ${percent}%`;
        this.words = percent < 100 ? `Sending ${percent} %` : "Looking at what was sent";
      });
      request.addEventListener("load", () => {
        if (request.responseURL !== location.href) return location.assign(request.responseURL);
        document.open();
        document.write(request.responseText);
        document.close();
      });
      request.addEventListener("error", () => {
        this.busy = false;
        alert("The connection was lost while sending. Nothing was taken; try again.");
      });
      request.open("POST", location.href);
      request.send(new FormData(event.target));
    },
  }));

  Alpine.data("delivery", () => ({
    words: "waiting for a worker",
    bar: "width: 0%",
    init() {
      const ended = ["proved", "failed", "cancelled", "paused", "held up"];
      if (ended.includes(this.$el.dataset.state)) return;
      const url = this.$el.dataset.url;
      const look = async () => {
        const now = await fetch(url).then((r) => r.json());
        if (ended.includes(now.state)) return location.reload();
        document.getElementById("state").textContent = now.state;
        const reading = now.state === "reading back";
        const count = reading ? now.checked : now.done;
        if (now.state !== "waiting") this.words = `${reading ? "read back" : "rendered"} ${count} of ${now.total} frames`;
        this.bar = `width: ${(100 * count) / now.total}%`;
        if (now.left !== null) this.words += `, about ${now.left < 90 ? `${now.left} s` : `${Math.round(now.left / 60)} min`} left`;
        for (const at of now.frames) document.querySelector(`[data-at="${at}"]`).classList.add("done");
        setTimeout(look, 400);
      };
      setTimeout(look, 300);
    },
  }));
});
