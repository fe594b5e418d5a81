// What pages with frames share: from frame to frame by number or slider, and an action whose trouble is said on the page.

export const stepping = {
  async attempt(work) {
    try {
      this.trouble = "";
      return await work();
    } catch (error) {
      this.trouble = error.message;
      return undefined;
    }
  },
  go(frame) {
    this.frame = Math.min(this.last, Math.max(this.first, frame));
    return this.draw();
  },
  seek(event) {
    return this.go(Number(event.target.value));
  },
  typed(event) {
    return this.go(Number(event.target.value) || this.frame);
  },
};
