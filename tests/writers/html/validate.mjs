// Prints what a validator finds in pages, a line each: node validate.mjs PAGE...
import { readFileSync } from "node:fs";
import { HtmlValidate, StaticConfigLoader } from "html-validate";

const validator = new HtmlValidate(new StaticConfigLoader({ extends: ["html-validate:standard"] }));
for (const page of process.argv.slice(2)) {
  const { results } = await validator.validateString(readFileSync(page, "utf8"));
  for (const { line, ruleId, message } of results.flatMap((result) => result.messages)) {
    console.log(`${page}:${line}: ${ruleId}: ${message}`);
  }
}
