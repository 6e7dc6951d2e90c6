// Takes a table of the page along as CSV. Source: RFC 4180; a cell that a spreadsheet would run is defused.
import { findAll, need } from "./dom.js";

const RUNS = /^[=+\-@\t\r]/;

/** @param {string} text */
function cell(text) {
  const plain = RUNS.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
}

/**
 * Returns rows of texts as CSV.
 * @param {string[][]} rows
 */
export const csvOf = (rows) => rows.map((row) => `${row.map(cell).join(",")}\r\n`).join("");

/** @param {Element} node */
const textIn = (node) => (node.textContent ?? "").replace(/\s+/g, " ").trim();

/**
 * Gives the reader rows as a file.
 * @param {string[][]} rows
 * @param {string} name
 */
export function giveRows(rows, name) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([csvOf(rows)], { type: "text/csv" }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href));
}

/** Adds a download button to each table that asks for one. */
export function startTaking() {
  for (const button of findAll(document, "details button.take")) {
    const table = need(/** @type {HTMLElement} */ (button.closest("details")), "table");
    button.hidden = false;
    button.addEventListener("click", () => {
      const rows = findAll(table, "tr").map((row) => findAll(row, "th, td").map(textIn));
      giveRows(rows, table.dataset.file ?? "table.csv");
    });
  }
}
