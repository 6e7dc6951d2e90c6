// The view in the address, so that it can be sent: #show=failed,errored&find=fare&only=tag:smoke&order=slowest

/**
 * @typedef {object} View
 * @property {string[]} show
 * @property {string} find
 * @property {string} order
 * @property {string} kind
 * @property {[string, string][]} only pairs of a facet and a value
 */

export const ORDERS = ["suite", "slowest", "name", "owner"];

/**
 * Returns the view that a fragment means, null where it means none.
 * @param {string} fragment without its #
 * @returns {View | null}
 */
export function readView(fragment) {
  if (!fragment.includes("=")) return null;
  const pairs = fragment.split("&").map((part) => cut(part, "="));
  const parts = new Map(pairs);
  const order = parts.get("order") ?? "";
  return {
    show: (parts.get("show") ?? "").split(",").filter(Boolean),
    find: decoded(parts.get("find") ?? ""),
    order: ORDERS.includes(order) ? order : "suite",
    kind: decoded(parts.get("kind") ?? ""),
    only: pairs
      .filter(([name]) => name === "only")
      .map(([, pair]) => {
        const [key, value] = cut(pair, ":");
        return [decoded(key), decoded(value)];
      }),
  };
}

/**
 * @param {string} text
 * @param {string} at
 * @returns {[string, string]}
 */
function cut(text, at) {
  const place = text.indexOf(at);
  return place < 0 ? [text, ""] : [text.slice(0, place), text.slice(place + 1)];
}

/** @param {string} text */
function decoded(text) {
  try {
    return decodeURIComponent(text);
  } catch {
    return "";
  }
}

/**
 * Returns the fragment of a view; "" for the page as it opens.
 * @param {View} view
 */
export function writeView({ show, find, order, kind, only }) {
  const parts = [];
  if (show.length) parts.push(`show=${show.join(",")}`);
  if (find.trim()) parts.push(`find=${encodeURIComponent(find.trim())}`);
  if (kind) parts.push(`kind=${encodeURIComponent(kind)}`);
  for (const pair of only) parts.push(`only=${pair.map(encodeURIComponent).join(":")}`);
  if (order !== "suite") parts.push(`order=${order}`);
  return parts.length ? `#${parts.join("&")}` : "";
}
