// The view in the address, so that it can be sent: #show=failed,errored&find=fare&order=slowest

/** @typedef {{show: string[], find: string, order: string, kind: string}} View */

export const ORDERS = ["suite", "slowest", "name"];

/**
 * Returns the view that a fragment means, null where it means none.
 * @param {string} fragment without its #
 * @returns {View | null}
 */
export function readView(fragment) {
  if (!fragment.includes("=")) return null;
  const parts = new Map(
    fragment.split("&").map((part) => {
      const at = part.indexOf("=");
      return at < 0 ? [part, ""] : [part.slice(0, at), part.slice(at + 1)];
    }),
  );
  const order = parts.get("order") ?? "";
  return {
    show: (parts.get("show") ?? "").split(",").filter(Boolean),
    find: decoded(parts.get("find") ?? ""),
    order: ORDERS.includes(order) ? order : "suite",
    kind: decoded(parts.get("kind") ?? ""),
  };
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
export function writeView({ show, find, order, kind }) {
  const parts = [];
  if (show.length) parts.push(`show=${show.join(",")}`);
  if (find.trim()) parts.push(`find=${encodeURIComponent(find.trim())}`);
  if (kind) parts.push(`kind=${encodeURIComponent(kind)}`);
  if (order !== "suite") parts.push(`order=${order}`);
  return parts.length ? `#${parts.join("&")}` : "";
}
