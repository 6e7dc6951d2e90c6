// A list of many rows of which only those near the window are in the page. Rows stand in chunks; one that is far away
// keeps its height and nothing else, so that the page scrolls as if all rows were there.
import { checks, htmlOf, loadBlock, missingBlocks } from "./checks.js";
import { find, isDetails, need } from "./dom.js";

/**
 * @typedef {object} Chunk
 * @property {HTMLElement} box
 * @property {number} from
 * @property {number} rows
 * @property {Promise<void> | null} filled
 * @property {[Comment, HTMLElement][]} spots where rows in plain HTML stood before
 */

const CHUNK = 100;
const ROW_PX = 41;
const NEAR = "1200px 0px";
const AT_ONCE = 200;
const STEPS = new Map([
  ["ArrowDown", 1],
  ["ArrowUp", -1],
  ["PageDown", 15],
  ["PageUp", -15],
  ["Home", Number.NEGATIVE_INFINITY],
  ["End", Number.POSITIVE_INFINITY],
]);

/** @type {WeakMap<Element, [VirtualList, Chunk]>} */
const chunkOf = new WeakMap();
const near = new IntersectionObserver(
  (entries) => {
    for (const entry of entries) {
      const found = chunkOf.get(entry.target);
      if (!found) continue;
      const [rows, chunk] = found;
      if (entry.isIntersecting) rows.fill(chunk);
      else rows.empty(chunk, entry.boundingClientRect.height);
    }
  },
  { rootMargin: NEAR },
);
let atOnce = AT_ONCE;

/** Lets so many rows be filled without waiting to be near, for one change of the view; they stay. */
export function allowSomeAtOnce() {
  atOnce = AT_ONCE;
}

export class VirtualList {
  /**
   * @param {HTMLElement} box
   * @param {{label: string, beside?: (check: number) => string}} options what stands beside the name of a row
   */
  constructor(box, { label, beside = () => "" }) {
    this.box = box;
    this.beside = beside;
    /** @type {number[]} */
    this.numbers = [];
    /** @type {Chunk[]} */
    this.chunks = [];
    this.loads = 0;
    box.setAttribute("role", "list");
    box.ariaLabel = label;
    box.addEventListener("keydown", (event) => this.key(event));
  }

  /** @param {number[]} numbers of the checks to show, in their order */
  show(numbers) {
    for (const chunk of this.chunks) {
      this.empty(chunk);
      near.unobserve(chunk.box);
    }
    this.numbers = numbers;
    this.chunks = [];
    for (let from = 0; from < numbers.length; from += CHUNK) {
      this.chunks.push(this.chunk(from, Math.min(CHUNK, numbers.length - from)));
    }
    this.box.replaceChildren(...this.chunks.map(({ box }) => box));
    for (const chunk of this.chunks) {
      if (atOnce > 0) this.fill(chunk);
      else near.observe(chunk.box);
      atOnce -= chunk.rows;
    }
  }

  /**
   * @param {number} from
   * @param {number} rows
   * @returns {Chunk}
   */
  chunk(from, rows) {
    const box = document.createElement("div");
    box.className = "chunk";
    box.setAttribute("role", "none");
    box.style.height = `${rows * ROW_PX}px`;
    /** @type {Chunk} */
    const chunk = { box, from, rows, filled: null, spots: [] };
    chunkOf.set(box, [this, chunk]);
    return chunk;
  }

  /**
   * Fills a chunk at once where all its rows are at hand, else once their blocks are loaded; the promise tells when.
   * @param {Chunk} chunk
   * @returns {Promise<void>}
   */
  fill(chunk) {
    chunk.filled ??= this.filling(chunk);
    return chunk.filled;
  }

  /**
   * @param {Chunk} chunk
   * @returns {Promise<void>}
   */
  filling(chunk) {
    const numbers = this.numbers.slice(chunk.from, chunk.from + chunk.rows);
    if (!missingBlocks(numbers).length) return Promise.resolve(this.put(chunk, numbers));
    const filled = this.load(numbers).then(() => {
      if (chunk.filled === filled && chunk.box.isConnected) this.put(chunk, numbers);
    });
    return filled;
  }

  /** @param {number[]} numbers of checks whose blocks are to be at hand */
  async load(numbers) {
    this.busy(1);
    // Another chunk's blocks may have driven some of these out while they were loaded.
    while (missingBlocks(numbers).length) await Promise.all(missingBlocks(numbers).map(loadBlock));
    this.busy(-1);
  }

  /** @param {number} by */
  busy(by) {
    this.loads += by;
    this.box.ariaBusy = String(this.loads > 0);
  }

  /**
   * @param {Chunk} chunk
   * @param {number[]} numbers
   */
  put(chunk, numbers) {
    const items = numbers.map((check, at) => {
      const place = `aria-posinset="${chunk.from + at + 1}" aria-setsize="${this.numbers.length}"`;
      const row = checks.node[check] ? "" : htmlOf(check);
      return `<div class="item" role="listitem" ${place} data-check="${check}">${row}</div>`;
    });
    chunk.box.innerHTML = items.join("");
    numbers.forEach((check, at) => {
      const item = /** @type {HTMLElement} */ (chunk.box.children[at]);
      const node = checks.node[check];
      if (node) this.borrow(chunk, item, node);
      const words = this.beside(check);
      if (words) {
        const place = document.createElement("small");
        place.className = "place";
        place.textContent = words;
        need(item, ".name").append(place);
      }
      const row = /** @type {HTMLElement} */ (item.firstElementChild);
      if (!isDetails(row)) row.tabIndex = -1;
    });
    chunk.box.style.height = "";
  }

  /**
   * Takes a row in plain HTML from its place into the list.
   * @param {Chunk} chunk
   * @param {HTMLElement} item
   * @param {HTMLElement} node
   */
  borrow(chunk, item, node) {
    const spot = document.createComment("");
    node.replaceWith(spot);
    node.hidden = false;
    item.append(node);
    chunk.spots.push([spot, node]);
  }

  /**
   * Takes a chunk's rows out of the page; if it keeps its height, only where nothing in it is open or has the focus.
   * @param {Chunk} chunk
   * @param {number} height 0: it does not keep it
   */
  empty(chunk, height = 0) {
    if (!chunk.filled) return;
    if (height) {
      if (find(chunk.box, "details.check[open]") || chunk.box.contains(document.activeElement)) return;
      chunk.box.style.height = `${height}px`;
    }
    chunk.filled = null;
    for (const [spot, node] of chunk.spots) {
      find(node, ".place")?.remove();
      spot.replaceWith(node);
    }
    chunk.spots = [];
    chunk.box.replaceChildren();
  }

  /**
   * Brings the row at a place of the list into view, and returns it.
   * @param {number} at
   * @returns {Promise<HTMLElement>}
   */
  async reveal(at) {
    const chunk = this.chunks[Math.floor(at / CHUNK)];
    chunk.box.scrollIntoView({ block: "nearest" });
    await this.fill(chunk);
    return /** @type {HTMLElement} */ (chunk.box.children[at - chunk.from].firstElementChild);
  }

  /** @param {number} at */
  async go(at) {
    const row = await this.reveal(Math.max(0, Math.min(at, this.numbers.length - 1)));
    row.scrollIntoView({ block: "nearest" });
    (find(row, "summary") ?? row).focus({ preventScroll: true });
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    const target = /** @type {Element} */ (event.target);
    const item = target.closest(".item");
    const step = STEPS.get(event.key);
    if (!item || step === undefined || target.closest("pre, input, .inside")) return;
    event.preventDefault();
    this.go(Number(item.ariaPosInSet) - 1 + step);
  }
}
