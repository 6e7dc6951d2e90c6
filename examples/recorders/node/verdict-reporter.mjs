// Lets node's own test runner write a record for plain-verdict. One file, no packages; node 20 or newer.
//
//   node --test --test-reporter=./verdict-reporter.mjs --test-reporter-destination=results/desk.verdict.jsonl
//
// Suites are suites, tests are checks, and tests inside a test are its steps. What a test prints becomes log lines.
import { relative } from "node:path";

const seconds = (milliseconds) => Math.max(0, milliseconds ?? 0) / 1000;
const isSuite = (test) => test.data?.details?.type === "suite";

/** What a test threw, which may be anything; the runner wraps it in an error of its own. */
const thrownIn = (error) => (error && "cause" in error ? error.cause : error);

/** The record's problem for what a test threw. */
function problemOf(error) {
  const thrown = thrownIn(error);
  if (thrown === null || typeof thrown !== "object") return { message: String(thrown) };
  const problem = { type: text(thrown.name ?? ""), message: text(thrown.message ?? thrown), detail: text(thrown.stack ?? "") };
  if ("expected" in thrown) problem.expected = text(thrown.expected);
  if ("actual" in thrown) problem.actual = text(thrown.actual);
  return problem;
}

function text(value) {
  if (typeof value === "string") return value;
  try {
    return JSON.stringify(value) ?? String(value);
  } catch {
    return String(value); // what refers to itself, or is too large a number
  }
}

/** Whether it was an assertion, or something else went wrong. */
const outcomeOf = (error) => (thrownIn(error)?.code === "ERR_ASSERTION" ? "failed" : "errored");

/** How a test ended, as the record says it. */
function endOf(test) {
  const { skip, todo, details } = test.data;
  const why = skip ?? todo;
  if (why !== undefined && why !== false) return { outcome: "skipped", reason: why === true ? "" : String(why) };
  if (test.passed) return { outcome: "passed" };
  // A test whose subtests failed says no more than that: its steps tell why.
  if (details.error?.failureType === "subtestsFailed") return { outcome: "failed" };
  return { outcome: outcomeOf(details.error), problems: [problemOf(details.error)] };
}

class Record {
  #last = 0;
  #promised = "";

  /** A line that is written before anything of a test is known: if the runner is killed then, results are missing. */
  promise(name) {
    this.#promised = this.#id();
    return { what: "log", in: this.#promised, text: `${name} begins` };
  }

  #id() {
    return `${process.pid}-${++this.#last}`;
  }

  /** The lines of a suite with all that is in it. */
  *suite(test, suite) {
    const inside = [...suite, test.data.name];
    for (const child of test.children) yield* isSuite(child) ? this.suite(child, inside) : this.check(child, inside);
    // It is a check by itself where no check in it tells how it ended: its hook failed, it is skipped or empty.
    const told = test.passed || test.data.details.error?.failureType === "subtestsFailed";
    if (!told || !test.children.length)
      yield* this.check({ ...test, children: [], data: { ...test.data, name: "The suite itself" } }, inside);
  }

  /** The lines of a check, or of a step in what has the id `inside`. */
  *check(test, suite, inside = "") {
    const id = this.#promised || this.#id();
    this.#promised = "";
    const { name, file, line, details } = test.data;
    const ended = test.ended / 1000;
    const at = ended - seconds(details.duration_ms);
    const where = file ? { file: relative(process.cwd(), file), ...(line ? { line } : {}) } : {};
    yield inside ? { what: "step", id, in: inside, name, at } : { what: "check", id, name, suite, at, ...where };
    for (const child of test.children) yield* this.check(child, suite, id);
    for (const message of test.messages) yield { what: "log", in: id, text: message };
    yield { what: "end", id, at: ended, took_s: seconds(details.duration_ms), ...endOf(test) };
  }
}

export default async function* report(source) {
  const record = new Record();
  const line = (fields) => `${JSON.stringify(fields)}\n`;
  yield line({ what: "record", version: 1, at: Date.now() / 1000 });
  const waiting = []; // ended tests by their depth, until what they are in ends as well
  let messages = [];
  for await (const { type, data } of source) {
    if (type === "test:start" && data.nesting === 0) yield line(record.promise(data.name));
    if (type === "test:diagnostic" && data.nesting > 0) messages.push(data.message);
    if (type !== "test:pass" && type !== "test:fail") continue;
    const test = { data, passed: type === "test:pass", ended: Date.now(), children: waiting[data.nesting + 1] ?? [], messages };
    messages = [];
    waiting.length = data.nesting + 1;
    if (data.nesting > 0) {
      (waiting[data.nesting] ??= []).push(test);
      continue;
    }
    for (const fields of isSuite(test) ? record.suite(test, []) : record.check(test, [])) yield line(fields);
  }
}
