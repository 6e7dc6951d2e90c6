// A list of many rows of which only those near the window are in the page. Rows stand in chunks; one that is far away
// keeps its height and nothing else, so that the page scrolls as if all rows were there.
const CHUNK = 100, ROW_PX = 41, NEAR = "1200px 0px", AT_ONCE = 200;
const chunkOf = new WeakMap();
const near = new IntersectionObserver((entries) => {
  for (const entry of entries) {
    const [rows, chunk] = chunkOf.get(entry.target);
    if (entry.isIntersecting) rows.fill(chunk);
    else rows.empty(chunk, entry.boundingClientRect.height);
  }
}, { rootMargin: NEAR });
let atOnce = AT_ONCE; // rows that may still be filled without waiting to be near, for one change of the view; they stay

class Rows {
  constructor(box) {
    this.box = box;
    this.numbers = [];
    this.chunks = [];
    this.loads = 0;
    box.setAttribute("role", "list");
    box.addEventListener("keydown", (event) => this.key(event));
  }

  show(numbers) {
    for (const chunk of this.chunks) {
      this.empty(chunk);
      near.unobserve(chunk.box);
    }
    this.numbers = numbers;
    this.chunks = [];
    const all = document.createDocumentFragment();
    for (let from = 0; from < numbers.length; from += CHUNK) {
      const box = document.createElement("div");
      const rows = Math.min(CHUNK, numbers.length - from);
      box.className = "chunk";
      box.setAttribute("role", "none");
      box.style.height = `${rows * ROW_PX}px`;
      const chunk = { box, from, rows, filled: null, spots: [] };
      chunkOf.set(box, [this, chunk]);
      this.chunks.push(chunk);
      all.append(box);
    }
    this.box.replaceChildren(all);
    for (const chunk of this.chunks) {
      if (atOnce > 0) this.fill(chunk);
      else near.observe(chunk.box);
      atOnce -= chunk.rows;
    }
  }

  // Fills a chunk at once where all its rows are at hand, else once their blocks are loaded; the promise tells when.
  fill(chunk) {
    chunk.filled ??= this.filling(chunk);
    return chunk.filled;
  }

  filling(chunk) {
    const numbers = this.numbers.slice(chunk.from, chunk.from + chunk.rows);
    const wanted = new Set(checks.columns ? numbers.filter((check) => checks.kind[check] === "w").map(blockOf) : []);
    const missing = () => [...wanted].filter((block) => !blocks.has(block));
    if (!missing().length) return Promise.resolve(this.put(chunk, numbers));
    this.busy(1);
    const filled = (async () => {
      // Another chunk's blocks may have driven some of these out while they were loaded.
      while (missing().length) await Promise.all(missing().map(loadBlock));
      this.busy(-1);
      if (chunk.filled === filled && chunk.box.isConnected) this.put(chunk, numbers);
    })();
    return filled;
  }

  busy(by) {
    this.loads += by;
    this.box.ariaBusy = String(this.loads > 0);
  }

  put(chunk, numbers) {
    const html = numbers.map((check, at) => {
      const place = `role="listitem" aria-posinset="${chunk.from + at + 1}" aria-setsize="${this.numbers.length}" data-check="${check}"`;
      return `<div class="item" ${place}>${checks.node[check] ? "" : htmlOf(check)}</div>`;
    });
    chunk.box.innerHTML = html.join("");
    numbers.forEach((check, at) => {
      const item = chunk.box.children[at], node = checks.node[check];
      if (node) {
        const spot = document.createComment("");
        node.replaceWith(spot);
        node.hidden = false;
        item.append(node);
        chunk.spots.push([spot, node]);
      }
      const suite = suites[checks.suite[check]];
      if (this.places && suite.name) {
        const place = document.createElement("small");
        place.className = "place";
        place.textContent = suite.name;
        item.querySelector(".name").append(place);
      }
      const row = item.firstElementChild;
      if (row.tagName !== "DETAILS") row.tabIndex = -1;
    });
    chunk.box.style.height = "";
  }

  // Takes a chunk's rows out of the page; if it keeps its height, only where nothing in it is open or has the focus.
  empty(chunk, height = 0) {
    if (!chunk.filled) return;
    if (height) {
      if (chunk.box.querySelector("details.check[open]") || chunk.box.contains(document.activeElement)) return;
      chunk.box.style.height = `${height}px`;
    }
    chunk.filled = null;
    for (const [spot, node] of chunk.spots) {
      node.querySelector(".place")?.remove();
      spot.replaceWith(node);
    }
    chunk.spots = [];
    chunk.box.replaceChildren();
  }

  // Brings the row at a place of the list into view, and returns it.
  async reveal(at) {
    const chunk = this.chunks[Math.floor(at / CHUNK)];
    chunk.box.scrollIntoView({ block: "nearest" });
    await this.fill(chunk);
    return chunk.box.children[at - chunk.from].firstElementChild;
  }

  async go(at) {
    const row = await this.reveal(Math.max(0, Math.min(at, this.numbers.length - 1)));
    row.scrollIntoView({ block: "nearest" });
    (row.querySelector("summary") ?? row).focus({ preventScroll: true });
  }

  key(event) {
    const item = event.target.closest(".item");
    const steps = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15, Home: -Infinity, End: Infinity };
    if (!item || !(event.key in steps) || event.target.closest("pre, input, .inside")) return;
    event.preventDefault();
    this.go(Number(item.ariaPosInSet) - 1 + steps[event.key]);
  }
}
