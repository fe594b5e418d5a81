// Stepping through a package's frames over a ground, and pointing at a place.
const box = document.getElementById("picture");
const image = box.querySelector("img");
const slider = document.getElementById("at");
const ground = document.getElementById("ground");
const place = document.getElementById("place");
const form = document.querySelector("form[action$='answer']");
const numbers = JSON.parse(document.getElementById("numbers").textContent);

function show() {
  const at = Number(slider.value);
  image.src = `/packages/${box.dataset.key}/frames/${at}/${ground.value}.jpg`;
  document.getElementById("number").textContent = numbers[at];
  form.elements.at.value = at;
}

function step(by) {
  slider.value = Number(slider.value) + by;
  place.hidden = true;
  form.elements.x.value = form.elements.y.value = "";
  show();
}

slider.addEventListener("input", () => step(0));
ground.addEventListener("change", show);
document.getElementById("back").addEventListener("click", () => step(-1));
document.getElementById("next").addEventListener("click", () => step(1));
document.addEventListener("keydown", (event) => {
  if (["TEXTAREA", "INPUT", "SELECT"].includes(event.target.tagName) && event.target !== slider) return;
  if (event.key === "ArrowLeft") step(-1);
  else if (event.key === "ArrowRight") step(1);
  else return;
  event.preventDefault();
});
image.addEventListener("click", (event) => {
  const rect = image.getBoundingClientRect();
  const [u, v] = [(event.clientX - rect.left) / rect.width, (event.clientY - rect.top) / rect.height];
  form.elements.x.value = (u * box.dataset.width).toFixed(1);
  form.elements.y.value = (v * box.dataset.height).toFixed(1);
  place.hidden = false;
  place.style.left = `${u * 100}%`;
  place.style.top = `${v * 100}%`;
});
