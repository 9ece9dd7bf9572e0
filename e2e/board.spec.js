import { Effort } from "./effort.js";
import { api, expect, goLive, test } from "./help.js";

const shown = (page) => page.locator(".lot-row:visible");

test("what may be served raw at the next service: two taps", { tag: "@phone" }, async ({ page }) => {
  const effort = await new Effort(page).start("/k/harbour/board");
  const hour = page.getByRole("navigation", { name: "What may be served when" }).getByRole("link").nth(1);
  await effort.tap(hour);
  await effort.tap(page.getByRole("navigation", { name: "Show only" }).getByRole("link", { name: /^Raw/ }));
  expect(effort.taps).toBeLessThanOrEqual(2);
  expect(effort.swipes + effort.loads).toBe(0);
  const raw = shown(page);
  const kg = Number((await hour.locator("small").innerText()).match(/[\d.]+/)[0]);
  expect(kg).toBeGreaterThan(0);
  const sum = await raw.evaluateAll((rows) => rows.reduce((s, r) => s + Number(r.dataset.kg), 0));
  expect(sum).toBeCloseTo(kg, 0);
  for (const text of await raw.locator(".lot-serves").allInnerTexts()) expect(text).toMatch(/^Raw/);

  // The server says the same of that hour, and so does each lot's card of now where it is raw then.
  const codes = await raw.evaluateAll((rows) => rows.map((r) => r.id));
  await page.reload();
  expect(await shown(page).evaluateAll((rows) => rows.map((r) => r.id))).toEqual(codes);
  await page.goto(await raw.first().locator("a").getAttribute("href"));
  await expect(page.locator(".chip:not(.chip-no)", { hasText: "raw" }).first()).toBeVisible();
});

test("the handle goes along the days, by a finger and by keys: bars that end before it go pale", async ({ page }) => {
  await page.goto("/k/harbour/board");
  const handle = page.getByRole("slider", { name: "Hour of service" });
  await expect(handle).toHaveAttribute("aria-valuetext", "Now");
  await expect(page.locator(".lot-row.pale")).toHaveCount(0);
  const box = await handle.boundingBox();
  await page.mouse.move(box.x + 22, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.6, box.y + 10, { steps: 8 });
  await page.mouse.up();
  const said = await handle.getAttribute("aria-valuetext");
  expect(said).toMatch(/^(Mon|Tue|Wed|Thu|Fri|Sat|Sun) \d\d:\d\d$/);
  await expect(page.locator("[data-when]")).toHaveText(said);
  const at = Number(await page.locator("#board").getAttribute("data-at"));
  const rows = await page.locator(".lot-row").evaluateAll((list) =>
    list.map((r) => ({ by: Number(r.dataset.by), pale: r.classList.contains("pale"), word: r.querySelector("[data-word]").textContent, ahead: JSON.parse(r.dataset.ahead) })),
  );
  expect(rows.filter((r) => r.pale).length).toBeGreaterThan(3);
  for (const r of rows.filter((x) => x.ahead.length)) {
    expect(r.pale).toBe(r.by > 0 && r.by < at);
    const spell = r.ahead.filter((s) => s[1] <= at).pop();
    expect(r.word).toBe({ raw: "Raw", cook: "Cook only", none: "No" }[spell[0]]);
  }
  await expect(page).toHaveURL(/at=/);
  await handle.focus();
  for (let n = 0; n < 3; n++) await page.keyboard.press("Home");
  await expect(handle).toHaveAttribute("aria-valuetext", "Now");
  await expect(page).not.toHaveURL(/at=/);

  // Without scripts each hour is an address, which says the same.
  await page.goto("/k/harbour/board?at=" + new Date(60_000 * at).toLocaleString("sv-SE", { timeZone: "Europe/Oslo" }).slice(0, 16).replace(" ", "T"));
  await expect(page.locator(".lot-row.pale")).toHaveCount(rows.filter((r) => r.pale).length);
});

test("one species, by place, as a table that sorts; frozen lots are folded", async ({ page }) => {
  await page.goto("/k/harbour/board");
  const frozen = page.locator("[data-group=frozen] .lot-row").first();
  await expect(frozen).toBeHidden();
  await page.locator("summary", { hasText: "Frozen" }).click();
  await expect(frozen).toBeVisible();
  await expect(frozen).toContainText(/Frozen: (raw|cook) after thawing/);

  await page.getByLabel("Species").selectOption({ label: "Atlantic cod" });
  await expect(shown(page).first()).toContainText("Atlantic cod");
  const cod = await shown(page).count();
  expect(await page.locator(".lot-row:visible b:text-is('Atlantic cod')").count()).toBe(cod);
  await page.getByLabel("Order").selectOption({ label: "By place" });
  await expect(page).toHaveURL(/view=place/);
  await expect(page).toHaveURL(/species=cod/);
  await page.getByLabel("Order").selectOption({ label: "Table" });
  await page.getByLabel("Species").selectOption({ label: "All species" });
  await expect(page.getByRole("row")).not.toHaveCount(cod + 1);
  await page.getByRole("link", { name: "Weight", exact: true }).click();
  await expect(page.getByRole("columnheader", { name: /^Weight/ })).toHaveAttribute("aria-sort", "ascending");
  const weights = await page.locator("tbody td:nth-child(5)").allInnerTexts();
  const kilos = weights.map((t) => parseFloat(t));
  expect(kilos).toEqual([...kilos].sort((a, b) => b - a));
});

test("lots that are chosen are asked about; what changes elsewhere comes by itself and leaves the choice", async ({ page }) => {
  await goLive(page, "/k/harbour/board");
  await page.getByText("Choose", { exact: true }).click();
  const picks = page.locator('[data-group="use"] .lot-pick input');
  await picks.nth(0).check();
  await picks.nth(2).check();
  await expect(page.locator("[data-picked]")).toHaveText("2 lots chosen");
  const chosen = await page.locator(".lot-pick :checked").evaluateAll((list) => list.map((x) => x.value));

  const other = page.locator('[data-group="use"] .lot-row').nth(4);
  const id = await other.locator(".lot-pick input").getAttribute("value");
  const row = page.locator(".lot-row", { has: page.locator(`[value="${id}"]`) });
  const only = page.waitForResponse((r) => r.url().includes("since="));
  const held = await api(page.request, "POST", `/lots/${id}/events`, {
    data: { id: crypto.randomUUID(), kind: "held", happened_at: new Date().toISOString(), data: { reason: "a second look" } },
  });
  expect(held.status()).toBe(201);
  expect((await (await only).text()).match(/class="lot-row/g)).toHaveLength(1);
  await expect(row).toContainText("No: on hold");
  await expect(page.locator("[data-picked]")).toHaveText("2 lots chosen");
  const freed = await api(page.request, "POST", `/lots/${id}/events`, {
    data: { id: crypto.randomUUID(), kind: "released", happened_at: new Date().toISOString(), data: { reason: "seen" } },
  });
  expect(freed.status()).toBe(201);
  await expect(row).not.toContainText("on hold");

  await page.getByRole("button", { name: "What if" }).click();
  await expect(page).toHaveURL(/whatif/);
  for (const lot of chosen) await expect(page.locator(`#lot-${lot}`)).toBeVisible();
});

test("a lot's card: one sentence, four acts and More in the first screen", { tag: "@phone" }, async ({ page }) => {
  await page.goto("/k/harbour/board");
  const row = page.locator('[data-group="use"] .lot-row').nth(5);
  const by = await row.locator(".lot-by").innerText();
  await row.locator("a").click();
  const view = page.viewportSize().height - 64;
  const acts = page.locator(".log > .log-buttons > :is(a, details)");
  await expect(acts).toHaveCount(5);
  for (const act of await acts.all()) expect((await act.boundingBox()).y + 40).toBeLessThan(view);
  await expect(page.locator(".lot-sentence")).toContainText(/until/);
  if (/\d\d:\d\d$/.test(by)) await expect(page.locator(".lot-sentence")).toContainText(by.replace(/\d$/, "")); // to ten minutes
  await expect(page.locator(".tape-line")).toContainText(await page.locator("h1 .code").innerText());
  await page.locator(".more-acts > summary").click();
  await expect(page.locator(".more-acts summary", { hasText: "Discard" })).toBeVisible();
});

test("what is due is done from the list, and the next shift is told", async ({ page }) => {
  await page.goto("/k/harbour/due");
  const gathered = page.locator("a.card-row", { hasText: /^\d\d:\d\d\s*Inspect \d+ lots, / }).first();
  await expect(gathered).toBeVisible();
  await page.getByLabel("For the next shift").fill("the drawer closes badly");
  await page.getByRole("button", { name: "Leave the note" }).click();
  const note = page.locator(".handover", { hasText: "the drawer closes badly" }).first();
  await note.getByRole("button", { name: "Read" }).click();
  await expect(note).toContainText("read by Ansa");
  const core = page.locator(".due-core").first();
  if (await core.count()) {
    await core.locator("input.num").fill("cold");
    await core.getByRole("button", { name: "Log temperature" }).click();
    await expect(core).toContainText("is not a");
    await core.locator("input.num").fill("0.8");
    await core.getByRole("button", { name: "Log temperature" }).click();
    await expect(page).toHaveURL(/\/due$/);
    await expect(page.locator(".undo")).toContainText("Temperature");
  }
  await gathered.click();
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]{8}/);
});
