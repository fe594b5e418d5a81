// What the desk says of notes: a list that leads to their frames. Mixed into `panel`.

export function noting() {
  return {
    notes: [], notesOpen: 0,

    syncNotes() {
      const { notes, store } = this.desk;
      this.notes = notes.all.map((n) => ({ ...n, here: n.frame === store.frame }));
      this.notesOpen = notes.open.length;
    },
    goNote(note) {
      this.desk.store.go(note.frame);
    },
    async noteDone(note) {
      try {
        await this.desk.notes.mark(note, !note.done);
      } catch (error) {
        this.tell(error.message);
      }
    },
  };
}
