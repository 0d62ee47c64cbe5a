// Calls what a module exports for each line of JSON that comes in, [module, name, arguments], and answers with a line each.

import { createInterface } from "node:readline";

globalThis.document = { body: { dataset: {} } }; // lib/roles.js reads the workspace's own stems there
globalThis.window = { addEventListener() {} }; // lib/edits.js asks before a page is left with presses under way

for await (const line of createInterface({ input: process.stdin })) {
  const [path, name, given] = JSON.parse(line);
  let answer;
  try {
    const found = await import(path);
    answer = { is: await (found.cases ?? found)[name](...given) };
  } catch (error) {
    answer = { failed: String(error.stack) };
  }
  process.stdout.write(`${JSON.stringify(answer)}\n`);
}
