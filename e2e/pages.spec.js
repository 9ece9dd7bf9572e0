// Every page that a link leads to: valid, no accessibility fault that a machine finds,
// nothing that scrolls sideways, no script error, nothing fetched from elsewhere.
import { HtmlValidate } from "html-validate";
import { check, expect, test } from "./help.js";

const kitchen = "/k/harbour";
const html = new HtmlValidate({
  extends: ["html-validate:standard", "html-validate:a11y"],
  rules: { "no-implicit-button-type": "off" }, // a button of a form sends it: that is what HTML says, and what is meant
});

// The shape of an address: one lot's card is made as another's.
const shape = (path) =>
  path
    .replace(/[0-9a-f]{8}-[0-9a-f-]{27}/g, ":id")
    .replace(/\/\d+(?=[/?]|$)/g, "/:n")
    .replace(/species\/[a-z][a-z0-9-]*/, "species/:s")
    .replace(/export\/[a-z.]+/, "export/:file")
    .replace(/=[^&]*/g, "=")
    .replace(/(&[^&]*)\1+/g, "$1");
const most = (kind) => (kind === kitchen + "/lots/:id" ? 6 : 1); // a card differs by what became of its lot

// What the width and the colours of a screen decide; the rest is the same on each.
const byScreen = ["color-contrast", "target-size", "scrollable-region-focusable", "aria-hidden-focus", "nested-interactive"];

// crawl follows the links of the kitchen and gives its pages: a few of each shape.
let crawled;
const crawl = (request) =>
  (crawled ??= (async () => {
    const count = {};
    const pages = [];
    const waiting = [kitchen + "/board"];
    const known = new Set(waiting);
    while (waiting.length) {
      const path = waiting.shift();
      const answer = await request.get(path);
      expect(answer.status(), path).toBe(200);
      if (!answer.headers()["content-type"].startsWith("text/html")) continue;
      const text = await answer.text();
      pages.push({ path, text });
      for (const [, link] of text.matchAll(/<a\s[^>]*?href="([^"]+)"/g)) {
        const to = link.replaceAll("&amp;", "&").replace(/#.*/, "");
        const kind = shape(to);
        if (!to.startsWith(kitchen + "/") || known.has(to) || (count[kind] ?? 0) >= most(kind)) continue;
        count[kind] = (count[kind] ?? 0) + 1;
        known.add(to);
        waiting.push(to);
      }
    }
    return pages;
  })());

const shards = 4;
for (let shard = 0; shard < shards; shard++) {
  test(`all pages hold up, part ${shard + 1}`, { tag: "@phone" }, async ({ page, request, baseURL }, info) => {
    const pages = (await crawl(request)).filter((_, i) => i % shards === shard);
    const foreign = [],
      errors = [];
    page.on("request", (r) => {
      if (!r.url().startsWith(baseURL) && !r.url().startsWith("data:")) foreign.push(r.url());
    });
    page.on("pageerror", (e) => errors.push(e.message));
    page.on("console", (m) => {
      if (m.type() === "error") errors.push(m.text());
    });
    // The desk is light and the phone dark: the themes differ by colour alone.
    if (info.project.name === "phone") await page.context().addCookies([{ name: "theme", value: "dark", url: baseURL }]);
    for (const { path, text } of pages) {
      await test.step(path, async () => {
        if (info.project.name === "desk") {
          const report = await html.validateString(text);
          const wrong = report.results.flatMap((r) => r.messages).map((m) => `${m.line}:${m.column} ${m.ruleId} ${m.message} ${m.selector}`);
          expect.soft(wrong, path).toEqual([]);
        }
        await page.goto(path);
        await check(page, path, info.project.name === "phone" ? byScreen : undefined);
      });
    }
    expect(foreign).toEqual([]);
    expect(errors).toEqual([]);
  });
}

test("keys lead everywhere", async ({ page }) => {
  await page.goto("/k/harbour/board");
  for (const [key, url] of [
    ["2", /deliveries$/],
    ["3", /cold$/],
    ["4", /bench$/],
    ["5", /service$/],
    ["6", /records$/],
    ["1", /board$/],
    ["r", /receive$/],
  ]) {
    await page.keyboard.press(key);
    await expect(page).toHaveURL(url);
    await page.waitForLoadState("domcontentloaded"); // from then on it hears keys
  }
  await page.goto("/k/harbour/board");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toBeVisible();
  await expect(page.getByRole("dialog")).toContainText("Service");
  await page.keyboard.press("Escape");
  const code = await page.locator(".lot-row .code").first().textContent();
  await page.keyboard.press("/");
  await page.keyboard.type(code.toLowerCase());
  await expect(page.locator("#found a")).toHaveCount(1);
  await page.keyboard.press("Enter");
  await expect(page.locator("h1")).toContainText(code);
});
