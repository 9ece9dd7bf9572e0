// Every page: no accessibility fault that a machine finds, nothing that scrolls
// sideways, no script error, nothing fetched from elsewhere.
import { check, expect, test } from "./help.js";

const kitchen = "/k/harbour";
const named = (...paths) => async () => paths.map((path) => kitchen + path);

// found opens a page and gives the address of the first such link on it.
const found = async (page, path, link) => {
  await page.goto(path);
  return page.locator(link).first().getAttribute("href");
};

const groups = {
  fish: async (page) => {
    const lot = await found(page, kitchen + "/board", ":nth-match(a.melt-row, 4)");
    const frozen = await found(page, kitchen + "/board", "a.why-frozen");
    return [kitchen + "/board", kitchen + "/board?view=table", kitchen + "/due", lot, lot + "/exposure", frozen];
  },
  deliveries: async (page) => {
    await page.goto(kitchen + "/deliveries");
    const inspect = await page.locator("a.card-row[href$=inspect]").last().getAttribute("href"); // the demo's own
    const catchPage = await found(page, kitchen + "/deliveries/own-catch", "a.card-row[href$=own-catch]");
    const catchLot = catchPage.replace(/\/own-catch$/, "");
    return [
      ...["", "/receive", "/market", "/order", "/own-catch"].map((path) => kitchen + "/deliveries" + path),
      inspect, catchPage, catchLot + "/harvest", catchLot,
    ];
  },
  records: named("/import", "/records", "/shift", "/suppliers", "/suppliers/1", "/schemes", "/schemes/quick", "/schemes/demerit20?species=cod", "/rules", "/sources", "/declarations", "/people", "/tokens", "/confirm"),
  cold: async (page) => {
    const place = kitchen + "/cold/places/2";
    return [
      ...["", "?arrange=1", "/places/2?span=week", "/places/7", "/probes", "/probes/1", "/whatif", "/ice-plan", "/ice-plan?species=cod&weight_kg=25&count=8&from=12&outside=18&hours=10&place_id=7"].map((path) => kitchen + "/cold" + path),
      await found(page, place, "a:text('What if')"),
      await found(page, place, "a:text('Effect on the fish')"),
    ];
  },
  freezer: async (page) => {
    const free = await found(page, kitchen + "/cold/ageing", "a.cab-free");
    const lot = await found(page, kitchen + "/board", ":nth-match(a.melt-row, 4)");
    return [
      ...["/freezer", "/freezer/freeze", "/thaw", "/thaw/plan", "/ageing", "/ageing/plans"].map((path) => kitchen + "/cold" + path),
      await found(page, kitchen + "/cold/ageing", "a.cab-fish"),
      `${free}&lot=${lot.split("/").pop()}`,
    ];
  },
};

for (const dark of [false, true]) {
  for (const [group, addresses] of Object.entries(groups)) {
    test(`all pages hold up${dark ? " in the dark" : ""}: ${group}`, { tag: dark ? [] : "@phone" }, async ({ page, baseURL }, info) => {
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
      for (const path of await addresses(page)) {
        await test.step(path, async () => {
          expect((await page.goto(path)).status()).toBe(200);
          await check(page, only);
        });
      }
      expect(foreign).toEqual([]);
      expect(errors).toEqual([]);
    });
  }
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
  }
  await page.goto("/k/harbour/board");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toBeVisible();
  await expect(page.getByRole("dialog")).toContainText("Service");
  await page.keyboard.press("Escape");
  const code = await page.locator("a.melt-row").first().getAttribute("data-code");
  await page.keyboard.press("/");
  await page.keyboard.type(code.toLowerCase());
  await expect(page.locator("#found a")).toHaveCount(1);
  await page.keyboard.press("Enter");
  await expect(page.locator("h1")).toContainText(code);
});
