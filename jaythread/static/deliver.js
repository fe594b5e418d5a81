// Asking for a delivery: the recipe fills the fields; what follows from them is said before anything is made.
document.addEventListener("alpine:init", () => {
  const RANGE_AND_WHAT = new Set(["matte", "tryout", "first", "last", "recipe", "recipe_name", "says", "shot", "csrfmiddlewaretoken"]);

  const hex = (colour) => `#${colour.map((c) => Math.round(c * 255).toString(16).padStart(2, "0")).join("")}`;

  // The list follows by itself while something is under way; what is being filled in above it stays.
  Alpine.data("following", () => ({
    init() {
      const look = async () => {
        const page = await fetch(location.href).then((r) => r.text());
        const now = new DOMParser().parseFromString(page, "text/html").getElementById("deliveries");
        if (now && now.innerHTML !== this.$el.innerHTML) this.$el.innerHTML = now.innerHTML;
        if (now && now.dataset.waiting === "yes") setTimeout(look, 1500);
      };
      if (this.$el.dataset.waiting === "yes") setTimeout(look, 1000);
    },
  }));

  // A package on its way: how far it is, and what the other side says.
  Alpine.data("sending_over", () => ({
    state: "",
    words: "",
    bar: "width: 0%",
    init() {
      this.state = this.$el.dataset.state;
      const over = ["accepted", "failed", "cancelled", "returned with notes"];
      if (over.includes(this.state)) return;
      follow(this.$el.dataset.url, (now) => {
        if (!now) return true;
        if (now.state !== this.$el.dataset.state && now.state !== "sending") return location.reload();
        this.state = now.state;
        this.words = now.message || (now.state === "sending" ? `${(now.sent / 1e6).toFixed(1)} of ${(now.total / 1e6).toFixed(1)} MB` : "");
        this.bar = `width: ${now.percent}%`;
        return true;
      }, 1500, 500);
    },
  }));

  Alpine.data("ask", () => ({
    says: "",
    example: "",
    lines: "",
    wrong: false,
    picture: "",
    pictured: "",
    flat: false,
    tryout: false,
    exr: false,
    own: false,
    asked: 0,
    init() {
      this.recipes = JSON.parse(document.getElementById("recipes").textContent);
      this.usual = this.range(); // the working range, which may have changed since
      this.bringBack();
      this.fill();
    },
    choose(event) {
      event.stopPropagation();
      this.keep();
      this.fill();
    },
    // The recipe, the range and what is to be delivered stay as they were chosen while the tab is open.
    range() {
      const { first, last } = document.getElementById("ask").elements;
      return `${first.value}-${last.value}`;
    },
    place() {
      return `jaythread-ask-${document.getElementById("ask").dataset.who}-${location.pathname}`;
    },
    keep() {
      const { elements } = document.getElementById("ask");
      const mattes = [...new FormData(document.getElementById("ask")).getAll("matte")];
      sessionStorage.setItem(this.place(), JSON.stringify({ recipe: elements.recipe.value, ...(this.usual === this.range() ? {} : { first: elements.first.value, last: elements.last.value }), mattes }));
    },
    bringBack() {
      const form = document.getElementById("ask");
      form.addEventListener("submit", (e) => {
        if (e.submitter?.hasAttribute("formaction")) sessionStorage.removeItem(this.place()); // a recipe that is saved is the one to begin with
      });
      const said = JSON.parse(sessionStorage.getItem(this.place()) || "null");
      if (!said) return;
      if (this.recipes.some((r) => r.key === said.recipe)) form.elements.recipe.value = said.recipe;
      for (const name of ["first", "last"]) if (said[name]) form.elements[name].value = said[name];
      const boxes = [...form.querySelectorAll("[name=matte]")];
      if (boxes.some((box) => said.mattes.includes(box.value))) for (const box of boxes) box.checked = said.mattes.includes(box.value);
    },
    fill() {
      const form = document.getElementById("ask");
      const recipe = this.recipes.find((r) => r.key === form.elements.recipe.value) ?? this.recipes[0];
      this.says = recipe.says;
      for (const [name, value] of Object.entries(recipe.settings)) {
        const field = form.elements[name];
        if (!field || RANGE_AND_WHAT.has(name)) continue;
        if (field.type === "checkbox") field.checked = value;
        else if (name === "colour") field.value = hex(value);
        else field.value = value ?? "";
      }
      this.look();
    },
    changed() {
      this.keep();
      clearTimeout(this.asked);
      this.asked = setTimeout(() => this.look(), 150);
    },
    async look() {
      const form = document.getElementById("ask");
      this.flat = form.elements.content.value === "over";
      this.tryout = form.elements.content.value === "tryout";
      this.exr = form.elements.format.value.startsWith("exr");
      this.own = form.elements.size.value === "own";
      const turn = (this.turn = (this.turn ?? 0) + 1);
      const reply = await fetch(form.dataset.shown, { method: "POST", body: new FormData(form) }).catch(() => null);
      if (turn !== this.turn || !reply) return;
      const said = reply.ok ? await reply.json() : { wrong: "The server does not answer as it should; try again." };
      this.wrong = Boolean(said.wrong);
      this.picture = said.picture ?? "";
      this.pictured = said.pictured ?? "";
      this.example = said.wrong ? "" : said.example;
      this.lines = said.wrong ?? [...said.lines, `${said.size[0]} x ${said.size[1]}`, `channels ${said.channels.join(", ")}`].join("; ");
    },
  }));
});
