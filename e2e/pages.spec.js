// Every page: no accessibility fault that a machine finds, nothing that scrolls
// sideways, no script error, nothing fetched from elsewhere.
import { check, expect, test } from "./help.js";

const pages = ["/board", "/board?view=table", "/deliveries", "/deliveries/receive", "/cold", "/import", "/records", "/due", "/shift", "/deliveries/market", "/deliveries/order", "/suppliers", "/suppliers/1", "/schemes", "/schemes/quick", "/schemes/demerit20?species=cod", "/rules", "/deck", "/cold/ice-plan", "/cold/ice-plan?species=cod&weight=25&count=8&from=12&outside=18&hours=10&place_id=7", "/cold?arrange=1", "/cold/places/2?span=week", "/cold/places/7", "/cold/probes", "/cold/probes/1", "/cold/whatif", "/cold/freezer", "/cold/freezer/freeze", "/declarations", "/cold/thaw", "/cold/thaw/plan", "/cold/ageing", "/cold/ageing/plans", "/people", "/tokens", "/confirm"];

for (const dark of [false, true]) {
  test(`all pages hold up${dark ? " in the dark" : ""}`, async ({ page, baseURL }, info) => {
    test.setTimeout(360_000);
    test.skip(dark && info.project.name === "phone", "colours are the same there");
    const only = dark ? ["color-contrast"] : info.project.name === "phone" ? ["target-size", "scrollable-region-focusable"] : undefined;
    const foreign = [],
      errors = [];
    page.on("request", (r) => {
      if (!r.url().startsWith(baseURL) && !r.url().startsWith("data:")) foreign.push(r.url());
    });
    page.on("pageerror", (e) => errors.push(e.message));
    page.on("console", (m) => {
      if (m.type() === "error") errors.push(m.text());
    });
    if (dark) await page.context().addCookies([{ name: "theme", value: "dark", url: baseURL }]);
    await page.goto("/k/harbour/board");
    const lot = await page.locator("a.melt-row").nth(3).getAttribute("href");
    const frozen = await page.locator("a.why-frozen").first().getAttribute("href");
    await page.goto("/k/harbour/deliveries");
    const inspect = await page.locator("a.card-row[href$=inspect]").first().getAttribute("href");
    await page.goto("/k/harbour/deliveries/own-catch");
    const stamps = await page.locator("a.card-row[href$=own-catch]").first().getAttribute("href");
    const deck = ["/own-catch", "/harvest", ""].map((end) => stamps.replace(/\/own-catch$/, end));
    await page.goto("/k/harbour/cold/places/2");
    const ways = await page.getByRole("link", { name: "What if" }).getAttribute("href");
    const failure = await page.getByRole("link", { name: "Effect on the fish" }).first().getAttribute("href");
    await page.goto("/k/harbour/cold/ageing");
    const hung = await page.locator("a.cab-fish").first().getAttribute("href");
    const free = await page.locator("a.cab-free").first().getAttribute("href");
    for (const path of [...pages.map((p) => "/k/harbour" + p), hung, free + `&lot=${lot.split("/").pop()}`, lot, lot + "/exposure", frozen, inspect, ...deck, ways, failure]) {
      await test.step(path, async () => {
        await page.goto(path);
        await check(page, only);
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
    ["6", /cold\/ageing$/],
    ["8", /records$/],
    ["1", /board$/],
    ["r", /receive$/],
  ]) {
    await page.keyboard.press(key);
    await expect(page).toHaveURL(url);
  }
  await page.goto("/k/harbour/board");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.keyboard.press("Escape");
  const code = await page.locator("a.melt-row").first().getAttribute("data-code");
  await page.keyboard.press("/");
  await page.keyboard.type(code.toLowerCase());
  await expect(page.locator("#found a")).toHaveCount(1);
  await page.keyboard.press("Enter");
  await expect(page.locator("h1")).toContainText(code);
});
