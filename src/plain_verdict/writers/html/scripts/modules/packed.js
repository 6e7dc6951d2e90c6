// Opens what is packed in a folded page: ids, columns, blocks.

const ID_BYTES = 6;

/**
 * Returns the bytes of Base64.
 * @param {string} text
 */
export function bytesOf(text) {
  const decoded = atob(text);
  const bytes = new Uint8Array(decoded.length);
  for (let at = 0; at < decoded.length; at++) bytes[at] = decoded.charCodeAt(at);
  return bytes;
}

/**
 * Returns the text of gzip in Base64.
 * @param {string} text
 */
export function inflated(text) {
  const stream = new Blob([bytesOf(text)]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).text();
}

/**
 * Returns the ids of the checks: those of the usual length are packed, six bytes each; others have a tail.
 * @param {Uint8Array} bytes
 * @param {Record<string, string>} tails by check number
 */
export function idsOf(bytes, tails) {
  const hex = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));
  return Array.from({ length: bytes.length / ID_BYTES }, (_, check) => {
    let id = "c-";
    for (let at = check * ID_BYTES; at < (check + 1) * ID_BYTES; at++) id += hex[bytes[at]];
    return id + (tails[check] ?? "");
  });
}

/**
 * Returns the number of the block that holds a check.
 * @param {number[]} starts each block's first check
 * @param {number} order the check's number among those in blocks
 */
export function blockOf(starts, order) {
  let low = 0;
  let high = starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle] <= order) low = middle;
    else high = middle - 1;
  }
  return low;
}
