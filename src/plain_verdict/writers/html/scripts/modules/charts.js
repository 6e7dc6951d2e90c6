// Charts tell their values at the pointer; long tables get a field to find rows in.
import { find, findAll } from "./dom.js";

const SVG = "http://www.w3.org/2000/svg";
const LONG_TABLE = 8;

/**
 * Returns the words for the step under a place, from 0 at the left end of the steps to 1 at the right.
 * @param {string[][]} steps a row of heads, then one row a step
 * @param {number} share
 */
export function stepAt(steps, share) {
  const rows = steps.length - 1;
  const at = Math.min(rows - 1, Math.max(0, Math.floor(share * rows)));
  const [heads, row] = [steps[0], steps[at + 1]];
  const told = heads.slice(1).map((head, place) => `${head.toLowerCase()} ${row[place + 1]}`);
  return { at, words: `${row[0]}: ${told.join(", ")}` };
}

/** @param {SVGSVGElement} chart */
function addCursor(chart) {
  const steps = (chart.dataset.steps ?? "").split("\n").map((row) => row.split("|"));
  if (steps.length < 2) return;
  const words = document.createElement("p");
  words.className = "cursor-words soft";
  words.setAttribute("aria-hidden", "true"); // the table below says the same
  const line = document.createElementNS(SVG, "line");
  line.setAttribute("class", "cursor");
  line.setAttribute("y1", "8");
  line.setAttribute("y2", String(chart.viewBox.baseVal.height - 22));
  (chart.closest(".plot") ?? chart).after(words);
  chart.addEventListener("pointermove", (event) => {
    const box = chart.getBoundingClientRect();
    const { at, words: told } = stepAt(steps, (event.clientX - box.left) / box.width);
    const { x, width } = chart.viewBox.baseVal;
    const middle = x + ((at + 0.5) * width) / (steps.length - 1);
    line.setAttribute("x1", String(middle));
    line.setAttribute("x2", String(middle));
    chart.append(line);
    words.textContent = told;
  });
  chart.addEventListener("pointerleave", () => {
    line.remove();
    words.textContent = "";
  });
}

/** @param {HTMLTableElement} table */
function addFind(table) {
  const rows = findAll(table, "tbody tr:not(.group-head)");
  if (rows.length < LONG_TABLE) return;
  const field = document.createElement("input");
  field.type = "search";
  field.className = "find-rows";
  field.setAttribute("aria-label", `Find a ${table.dataset.find}`);
  field.placeholder = `Find a ${table.dataset.find}`;
  field.addEventListener("input", () => {
    const wanted = field.value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const row of rows) {
      const text = (find(row, "th")?.textContent ?? "").toLowerCase();
      row.hidden = !wanted.every((word) => text.includes(word));
    }
    for (const group of table.tBodies) {
      group.hidden = findAll(group, "tr:not(.group-head)").every((row) => row.hidden);
    }
  });
  (table.closest(".wide") ?? table).before(field);
}

export function startCharts() {
  for (const chart of document.querySelectorAll("svg[data-steps]")) addCursor(/** @type {SVGSVGElement} */ (chart));
  for (const table of document.querySelectorAll("table[data-find]"))
    addFind(/** @type {HTMLTableElement} */ (table));
}
