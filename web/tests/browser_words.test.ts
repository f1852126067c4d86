import { expect, test } from "vitest";
import { browserWords } from "../src/shelf/browserWords";

const LINUX = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko)";

test.each([
  [`${LINUX} Chrome/156.0 Safari/537.36`, "Chrome on Linux"],
  [`${LINUX} Chrome/156.0 Safari/537.36 Edg/156.0`, "Edge on Linux"],
  ["Mozilla/5.0 (Windows NT 10.0; rv:140.0) Gecko/20100101 Firefox/140.0", "Firefox on Windows"],
  ["curl/8.1", "curl/8.1"],
  ["", "A browser that says nothing of itself"],
])("%s", (about, words) => {
  expect(browserWords(about)).toBe(words);
});
