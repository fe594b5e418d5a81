// The page of all tryouts of a shot: beginning one, once more, removing one. A beginning's picture moves while the pointer is on it.

import { get, newId, post } from "../desk/net/api.js";

const A_SECOND = 6; // pictures of a beginning, while it moves

document.addEventListener("alpine:init", () => {
  Alpine.data("begin", () => ({
    matte: "", trouble: "",

    init() {
      this.shot = this.$root.dataset.shot;
      this.frames = this.$root.dataset.frames.split(" ");
      this.matte = this.$root.querySelector("select")?.value || "";
    },
    picture(key, frame) {
      return `/api/shots/${this.shot}/beginnings/${key}/frames/${frame}?matte=${this.matte}`;
    },
    again() {
      for (const image of this.$root.querySelectorAll("img[data-key]")) image.src = this.picture(image.dataset.key, this.$root.dataset.frame);
    },
    move(key) {
      this.rest();
      const image = this.$root.querySelector(`img[data-key="${key}"]`);
      let at = 0;
      this.moving = setInterval(() => {
        if (image.complete) image.src = this.picture(key, this.frames[at++ % this.frames.length]);
      }, 1000 / A_SECOND);
    },
    rest() {
      clearInterval(this.moving);
    },
    async attempt(work) {
      try {
        await work();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    start(key) {
      return this.attempt(async () => {
        this.rest();
        const { frame } = this.$root.dataset;
        const made = await post(`/shots/${this.shot}/tryouts`, { id: newId(), beginning: key, matte: this.matte, frame: Number(frame) });
        location.assign(`/shots/${this.shot}/tryouts/${made.id}?frame=${frame}`);
      });
    },
    twice(id) {
      return this.attempt(async () => {
        await post(`/shots/${this.shot}/tryouts/${id}/copies`, {});
        location.reload();
      });
    },
    drop(id) {
      return this.attempt(async () => {
        const { tryouts } = await get(`/shots/${this.shot}/desk`);
        const base = { [id]: tryouts.find((t) => t.id === id)?.revision ?? 0 };
        await post(`/shots/${this.shot}/edits`, { id: newId(), base, command: { do: "remove tryout", tryout: id } });
        location.reload();
      });
    },
  }));
});
