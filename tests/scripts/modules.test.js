// The parts of the page's script that need no page.
import assert from "node:assert/strict";
import { test } from "node:test";
import { gzipSync } from "node:zlib";

const MODULES = "../../src/plain_verdict/writers/html/scripts/modules";
const { readView, writeView } = await import(`${MODULES}/fragment.js`);
const { keepOnly, numbersOf, ownersOf } = await import(`${MODULES}/facets.js`);
const { stepAt } = await import(`${MODULES}/charts.js`);
const { byName, keepMatches, slowestFirst, wordsOf } = await import(`${MODULES}/search.js`);
const { blockOf, bytesOf, idsOf, inflated } = await import(`${MODULES}/packed.js`);

for (const [fragment, view] of [
  ["", null],
  ["c-0123456789ab", null],
  ["show=failed", { show: ["failed"], find: "", order: "suite", kind: "", only: [] }],
  [
    "show=failed,errored&find=day%20return&order=slowest",
    { show: ["failed", "errored"], find: "day return", order: "slowest", kind: "", only: [] },
  ],
  ["find=a%3Db%26c", { show: [], find: "a=b&c", order: "suite", kind: "", only: [] }],
  ["find=%E0%A4%A&order=backwards", { show: [], find: "", order: "suite", kind: "", only: [] }],
  ["kind=api", { show: [], find: "", order: "suite", kind: "api", only: [] }],
  ["show", null],
  [
    "only=tag:slow%3Aone&only=cause:100%20%25&only=x",
    {
      show: [],
      find: "",
      order: "suite",
      kind: "",
      only: [
        ["tag", "slow:one"],
        ["cause", "100 %"],
        ["x", ""],
      ],
    },
  ],
  ["show=&find=", { show: [], find: "", order: "suite", kind: "", only: [] }],
]) {
  test(`the fragment ${JSON.stringify(fragment)}`, () => assert.deepEqual(readView(fragment), view));
}

test("a view that is written is read again", () => {
  for (const show of [[], ["failed"], ["passed", "skipped"]]) {
    for (const find of ["", "deck 2", "100 % & more = #1", "öre"]) {
      for (const order of ["suite", "slowest", "name"]) {
        for (const kind of ["", "api"]) {
          for (const only of [[], [["tag", "a:b & c"]]]) {
            const view = { show, find, order, kind, only };
            const written = writeView(view);
            const plain = !show.length && !find && order === "suite" && !kind && !only.length;
            assert.deepEqual(readView(written.slice(1)), plain ? null : view);
          }
        }
      }
    }
  }
});

test("search keeps what has every word, in its own texts or in its suite's name", () => {
  const texts = ["day return", "single fare", "day single", "harbour fee"];
  const found = (search) => {
    const shown = new Uint8Array(4).fill(1);
    keepMatches(shown, wordsOf(search), texts, ["fares", "quay"], [0, 0, 1, 1]);
    return [...shown.keys()].filter((check) => shown[check]);
  };
  assert.deepEqual(found("  Day "), [0, 2]);
  assert.deepEqual(found("fares single"), [1]);
  assert.deepEqual(found("quay"), [2, 3]);
  assert.deepEqual(found(""), [0, 1, 2, 3]);
  assert.deepEqual(found("nothing of it"), []);
});

test("search takes nothing back that was left out before", () => {
  const shown = Uint8Array.of(0, 1);
  keepMatches(shown, ["day"], ["day", "day"], [""], [0, 0]);
  assert.deepEqual([...shown], [0, 1]);
});

test("orders: numbers in names count as numbers, equal ones keep their places", () => {
  assert.deepEqual(byName(["deck 10", "deck 2", "anchor", "deck 2"]), [2, 1, 3, 0]);
  assert.deepEqual(slowestFirst(Float64Array.of(1, 3, 2, 3)), [1, 3, 2, 0]);
});

test("ids are unpacked, those with a tail as well", () => {
  const bytes = Uint8Array.of(0, 1, 2, 253, 254, 255, 0xab, 0xcd, 0xef, 0, 0, 7);
  assert.deepEqual(idsOf(bytes, { 1: "-0a1b2c" }), ["c-000102fdfeff", "c-abcdef000007-0a1b2c"]);
});

test("a check is in the last block that begins before it", () => {
  const starts = [0, 3, 4, 900];
  for (const [check, block] of [
    [0, 0],
    [2, 0],
    [3, 1],
    [4, 2],
    [899, 2],
    [900, 3],
    [5000, 3],
  ]) {
    assert.equal(blockOf(starts, check), block);
  }
});

test("what is packed is opened", async () => {
  const text = "Ferry to Øygarden, 418 kr\n".repeat(3000);
  assert.equal(await inflated(gzipSync(text).toString("base64")), text);
  assert.deepEqual([...bytesOf("AAH/")], [0, 1, 255]);
});

for (const [share, at, words] of [
  [-0.2, 0, "09:00: requests 12, half within 3 ms"],
  [0.49, 0, "09:00: requests 12, half within 3 ms"],
  [0.5, 1, "09:01: requests 9, half within –"],
  [7, 1, "09:01: requests 9, half within –"],
]) {
  test(`the step under ${share}`, () => {
    const steps = [
      ["From", "Requests", "Half within"],
      ["09:00", "12", "3 ms"],
      ["09:01", "9", "–"],
    ];
    assert.deepEqual(stepAt(steps, share), { at, words });
  });
}

test("ranges of numbers are unpacked", () => {
  assert.deepEqual(numbersOf("0-3,7,9-10"), [0, 1, 2, 3, 7, 9, 10]);
  assert.deepEqual(numbersOf("5"), [5]);
});

for (const [only, kept] of [
  [[], [0, 1, 2, 3, 4]],
  [[["tag", "slow"]], [0, 1, 2]],
  [
    [
      ["tag", "slow"],
      ["tag", "night"],
    ],
    [0, 1, 2, 4],
  ],
  [
    [
      ["tag", "slow"],
      ["file", "a.xml"],
    ],
    [2],
  ],
  [[["tag", "unknown"]], []],
  [[["owner", "nobody"]], []],
]) {
  test(`only ${JSON.stringify(only)} is kept`, () => {
    const shown = new Uint8Array(5).fill(1);
    const facets = [
      [
        "tag",
        "Tag",
        [
          ["slow", "0-2"],
          ["night", "4"],
        ],
      ],
      ["file", "File", [["a.xml", "2-3"]]],
    ];
    keepOnly(shown, facets, only);
    assert.deepEqual(
      [...shown].flatMap((one, at) => (one ? [at] : [])),
      kept,
    );
  });
}

test("checks are by the names of their owners, each once", () => {
  const facets = [
    [
      "owner",
      "Owner",
      [
        ["Seats", "2,5"],
        ["Fares", "0-1,5"],
      ],
    ],
  ];
  assert.deepEqual(
    [...ownersOf(facets)],
    [
      [0, "Fares"],
      [1, "Fares"],
      [5, "Fares"],
      [2, "Seats"],
    ],
  );
  assert.deepEqual([...ownersOf([])], []);
});
