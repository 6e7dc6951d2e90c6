// Tests of a made-up booking desk: with a suite, steps, a failure, a skip and an error.
import assert from "node:assert/strict";
import { describe, it, test } from "node:test";

describe("Booking", () => {
  describe("Checkout", () => {
    it("quotes the fare", () => assert.equal("NOK 481", "NOK 418"));
    it("keeps a seat", () => {});
  });
  it("answers in Sámi", { skip: "no texts yet" }, () => {});
});

test("a day return can be paid", async (t) => {
  await t.test("choose the 09:40", () => {});
  await t.test("pay", () => {
    throw new TypeError("the till is closed");
  });
});
