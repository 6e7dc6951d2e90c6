// Pictures that belong together, laid over each other; and the place of a step in the video of its check.
import { find, findAll, need } from "./dom.js";

const HALF = 50;
const WAYS = ["Side by side", "Over each other"];

/**
 * Returns two pictures over each other, and the slider that moves the edge between them.
 * @param {Element} under
 * @param {Element} above
 */
function overlay(under, above) {
  const box = document.createElement("div");
  const stack = document.createElement("div");
  stack.className = "over";
  const [expected, actual] = [under.cloneNode(true), above.cloneNode(true)];
  const edge = document.createElement("span");
  edge.className = "edge";
  stack.append(expected, actual, edge);
  const slider = document.createElement("input");
  slider.type = "range";
  slider.ariaLabel = "Left of the edge: expected; right of it: actual";
  slider.value = String(HALF);
  const move = () => {
    /** @type {HTMLElement} */ (actual).style.clipPath = `inset(0 0 0 ${slider.value}%)`;
    edge.style.left = `${slider.value}%`;
  };
  slider.addEventListener("input", move);
  move();
  const words = document.createElement("p");
  words.className = "soft";
  words.textContent = "Left of the edge: expected. Right of it: actual.";
  box.append(slider, stack, words);
  return box;
}

/** @param {HTMLElement} compared */
function addWays(compared) {
  const sides = need(compared, ".trio");
  const [expected, actual] = ["expected", "actual"].map((role) => find(sides, `[data-role="${role}"] a > *`));
  if (!expected || !actual) return;
  /** @type {HTMLElement | null} */
  let over = null;
  const ways = document.createElement("p");
  ways.className = "ways";
  const buttons = WAYS.map((words, at) => {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "plain";
    button.textContent = words;
    button.ariaPressed = String(at === 0);
    button.addEventListener("click", () => {
      for (const other of buttons) other.ariaPressed = String(other === button);
      if (at === 1 && !over) {
        over = overlay(expected, actual);
        compared.append(over);
      }
      sides.hidden = at === 1;
      if (over) over.hidden = at !== 1;
    });
    return button;
  });
  ways.append(...buttons);
  compared.prepend(ways);
}

/** @param {number} seconds */
const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

/**
 * Gives each step with a time the button that goes to its place in the video.
 * @param {HTMLElement} check
 */
function addSeeking(check) {
  const video = /** @type {HTMLVideoElement | null} */ (find(check, "video[data-began]"));
  if (!video) return;
  const began = Number(video.dataset.began);
  for (const took of findAll(check, ".steps .took[data-at]")) {
    const second = Number(took.dataset.at) - began;
    if (second < 0) continue;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "seek";
    button.textContent = clock(second);
    button.title = "Show this moment in the video";
    button.addEventListener("click", (event) => {
      event.preventDefault(); // the row it stands in would open or close
      video.currentTime = second;
      video.scrollIntoView({ block: "nearest" });
    });
    took.prepend(button);
  }
}

/**
 * Adds to a check that is opened what only the script can do with its pictures and its video, once.
 * @param {HTMLElement} check
 */
export function addToOpened(check) {
  if (check.dataset.looked) return;
  check.dataset.looked = "yes";
  findAll(check, ".compared").forEach(addWays);
  addSeeking(check);
}
