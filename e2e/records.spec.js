// Records: what is missing and the workbook, a recall drill, one back and one forward, and a calendar of what is due.
import { readFileSync } from "node:fs";
import ICAL from "ical.js";
import { api, check, event, expect, local, openAct, post, receiveAt, takeShift, test } from "./help.js";

// rows reads a CSV as RFC 4180 has it.
function rows(text) {
  const list = [[]];
  for (const [, quoted, plain, end] of text.matchAll(/(?:"((?:[^"]|"")*)"|([^",\r\n]*))(,|\r\n|$)/g)) {
    list.at(-1).push(quoted === undefined ? plain : quoted.replaceAll('""', '"'));
    if (end === "\r\n") list.push([]);
    if (end === "") break;
  }
  const [names, ...rest] = list;
  return rest.filter((row) => row.length === names.length).map((row) => Object.fromEntries(row.map((cell, i) => [names[i], cell])));
}

test("a reading that was corrected is in the pack, with what it said first", { tag: "@phone" }, async ({ page, request }, info) => {
  const note = `=DRILL ${info.project.name}`;
  const lot = await receiveAt(page, -30, { supplier: "Dunlin Fish Merchants", species: "Ling", count: 2, weight: 7.4, supplier_lot: note });
  const at = crypto.randomUUID();
  const written = await api(request, "POST", `/lots/${lot}/events`, { data: { id: at, kind: "temperature", happened_at: new Date(Date.now() - 3600_000).toISOString(), data: { celsius: 3.1 } } });
  expect(written.status()).toBe(201);
  await event(request, lot, "corrected", -0.5, { event_id: at, data: { celsius: 1.3 }, reason: "the wrong fish" });

  await page.goto("/k/harbour/records");
  await page.getByRole("link", { name: "Inspector" }).click();
  await test.step("what is missing stands first, with the way to mend it", async () => {
    await expect(page.locator(".missing li", { hasText: "Ling" }).filter({ hasText: "not inspected" }).first()).toContainText("inspect it");
    await check(page);
  });
  const get = async (name) => page.request.get(await page.getByRole("link", { name, exact: true }).getAttribute("href"));
  await test.step("the sheets say so, and no cell is a formula", async () => {
    const corrections = rows(await (await get("Corrections as CSV")).text()).filter((row) => row["Why"] === "the wrong fish");
    expect(corrections.at(-1)).toMatchObject({ Was: "3.1", Is: "1.3", By: "Ansa", What: "celsius" });
    const deliveries = rows(await (await get("Deliveries as CSV")).text());
    expect(deliveries.some((row) => row["Supplier's lot"] === "'" + note)).toBe(true);
    const book = await get("Workbook of all");
    expect(book.headers()["content-type"]).toContain("spreadsheetml");
    expect((await book.body()).subarray(0, 2).toString()).toBe("PK");
  });
  await test.step("the paper says how far it is, and comes", async () => {
    const coming = page.waitForEvent("download");
    await page.getByRole("link", { name: "Paper of all" }).click();
    const paper = await coming;
    expect(paper.suggestedFilename()).toMatch(/^harbour-\d{8}-records\.pdf$/);
    expect(readFileSync(await paper.path()).subarray(0, 5).toString()).toBe("%PDF-");
    await expect(page.locator("[data-progress-said]")).toContainText("is made");
  });
  await test.step("a span the wrong way round is an error beside its field", async () => {
    await page.getByLabel("To", { exact: true }).fill("2020-01-01");
    await page.getByRole("button", { name: "Show" }).click();
    await expect(page.locator("[data-field=to], .field", { hasText: "To" }).first()).toContainText("before the first day");
  });
});

test("a recall drill goes from a supplier's lot through a cut to a service", { tag: "@phone" }, async ({ page, request }, info) => {
  const number = `DR-${info.project.name}-${info.retry}`;
  const species = { desk: "Blue ling", phone: "Wolffish" }[info.project.name]; // of its own: a dish of before would have it first
  const lot = await receiveAt(page, -1, { supplier: "Dunlin Fish Merchants", species, form: "gutted", count: 2, weight: 5.2, core: 0.8, caught: 30, supplier_lot: number });
  const { places } = await (await api(request, "GET", "/places")).json();
  const drawer = places.find((p) => p.name === "Fish drawer").id;
  await event(request, lot, "moved", -0.9, { place_id: drawer });
  await event(request, lot, "cut", -0.5, { count: 2, weight_kg: 5.2, parts: [{ form: "fillet_skinless", count: 4, weight_kg: 2.1, to: "service", place_id: drawer, boneless: true }, { form: "waste", weight_kg: 3.02, to: "bin" }] });
  const title = `${species} pie ${number}`;
  const dish_id = crypto.randomUUID(), service_id = crypto.randomUUID();
  await post(page, "/service/dishes", { dish_id, name: title, "species-1": species, part: "fillet_skinless", pieces: "1", piece_g: "150", served: "cook", cut: "60" });
  await post(page, "/service/plan", { service_id, at: local(7 + (info.project.name === "phone" ? 0.4 : 0) + 0.1 * info.retry), covers: "20", covers_sd: "3", level: "0.9", [`plates-${dish_id}`]: "10" });
  await page.goto(`/k/harbour/service?one=${service_id}`);
  const reserve = page.locator(".pass-dish", { hasText: title }).getByRole("button", { name: /^Reserve \d+/ });
  await reserve.click();
  await expect(reserve).toHaveCount(0);

  await page.goto("/k/harbour/records/recall");
  await test.step("what it touches is shown as it is typed", async () => {
    await page.getByLabel("A supplier's lot").fill(number.toLowerCase());
    await expect(page.getByRole("status").filter({ hasText: "2 lots are touched" })).toBeVisible();
    await check(page);
    await page.getByLabel("Why").fill("twice a year");
    await page.getByLabel("a drill").check();
    await page.getByRole("button", { name: "Recall it" }).click();
    await expect(page.locator("h1")).toHaveText("Recall drill: twice a year");
  });
  await test.step("the sheet leads to the service; nothing is held; the time is kept", async () => {
    await expect(page.locator("table.data")).toContainText(title);
    await expect(page.locator("main")).not.toContainText("on hold");
    await check(page);
    await page.getByRole("button", { name: "All of it is found" }).click();
    await expect(page.locator(".sum")).toContainText("all found within a minute");
  });
  await test.step("one back, one forward is drawn", async () => {
    await page.goto(`/k/harbour/lots/${lot}/lineage`);
    await expect(page.locator(".graph")).toContainText(title);
    await expect(page.locator(".graph")).toContainText("Dunlin Fish Merchants");
    await check(page);
  });
});

test("a calendar shows what is due to who has its address", async ({ page }) => {
  await page.goto("/k/harbour/tokens");
  await page.getByLabel("What for").fill("Wall calendar");
  await page.getByLabel("calendar: what is due, and nothing else").check();
  await page.getByRole("button", { name: /^Make/ }).click();
  const feed = await page.locator(".token-feed").textContent();
  const answer = await page.request.get(feed, { headers: { Cookie: "" } });
  expect(answer.headers()["content-type"]).toContain("text/calendar");
  const events = new ICAL.Component(ICAL.parse(await answer.text())).getAllSubcomponents("vevent").map((e) => new ICAL.Event(e));
  expect(events.length).toBeGreaterThan(4);
  expect(new Set(events.map((e) => e.uid)).size).toBe(events.length);
  expect(events.some((e) => e.summary.startsWith("Inspect"))).toBe(true);
  const again = new ICAL.Component(ICAL.parse(await (await page.request.get(feed)).text())).getAllSubcomponents("vevent").map((e) => new ICAL.Event(e).uid);
  expect(again.filter((uid) => events.some((e) => e.uid === uid)).length).toBeGreaterThan(events.length / 2);
  const token = new URL(feed).searchParams.get("token");
  expect((await page.request.get("/api/v1/lots", { headers: { Authorization: `Bearer ${token}` } })).status()).toBe(403);
  expect((await page.request.get(feed.slice(0, -2))).status()).toBe(404);
});

test("what a guest said is traced to late bleeding, and counted by the boat", { tag: "@phone" }, async ({ page, request }, info) => {
  const supplier = `Gannet boat ${info.project.name}`;
  const lot = await receiveAt(page, -0.8, { supplier, species: "Saithe", form: "gutted", count: 2, weight: 6.4, core: 0.9, caught: 40, supplier_lot: `SG-${info.project.name}-${info.retry}` });
  await event(request, lot, "killed", -40, { method: "spike" });
  await event(request, lot, "bled", -38.9, { how: "gills" });
  const { places } = await (await api(request, "GET", "/places")).json();
  await event(request, lot, "moved", -0.7, { place_id: places.find((p) => p.name === "Fish drawer").id });
  await event(request, lot, "taken", -0.2, { end_use: "cooked", count: 1, weight_kg: 3.2 });
  await page.goto(`/k/harbour/lots/${lot}`);
  await openAct(page, "A guest said");
  await test.step("causes are ranked as the word is chosen", async () => {
    await page.getByRole("radio", { name: "strong" }).check();
    const first = page.locator(".cause").first();
    await expect(first).toContainText("bled late");
    await expect(first).toContainText("bled 66 min after its death");
    await check(page);
  });
  await page.getByLabel("In their words").fill("like the harbour at low tide");
  await page.getByRole("button", { name: "Write it down" }).click();
  const said = page.locator(".remark", { hasText: "low tide" }).first();
  await expect(said).toContainText("most likely: Not bled, or bled late");
  await expect(page.getByRole("row", { name: new RegExp(supplier) })).toContainText("strong");
  await said.getByRole("button", { name: "Cancel entry" }).click();
  await expect(said).toContainText("cancelled");
});

test("a month's fresh days, a plan signed again, and deviations read by a second person", { tag: "@phone" }, async ({ page }) => {
  await page.goto("/k/harbour/records/waste");
  await page.getByRole("link", { name: "Where the fresh days went" }).click();
  await expect(page.locator(".lead")).toContainText(/kg·days of freshness went .* before it came/);
  await page.getByRole("link", { name: "By money" }).click();
  await expect(page.locator(".fresh tbody tr").first()).toContainText("€");
  await check(page);

  await page.goto("/k/harbour/records/inspector");
  await page.getByRole("link", { name: "Safety plan", exact: true }).click();
  await page.getByRole("link", { name: "Change it" }).click();
  const core = page.locator("details#receiving-core");
  await core.locator("summary").click();
  await core.getByLabel("How it is watched").fill("");
  await page.getByLabel("What is new in it").fill("a second thermometer");
  await page.getByRole("button", { name: "Sign it" }).click();
  await expect(core.getByLabel("How it is watched")).toHaveAttribute("aria-invalid", "true");
  await core.getByLabel("How it is watched").fill("Two thermometers, by who receives it");
  await page.getByRole("button", { name: "Sign it" }).click();
  await expect(page.locator(".lead")).toContainText("a second thermometer");
  await expect(page.locator("#receiving-core")).toContainText("Two thermometers");

  await takeShift(page, "Dunja");
  await page.goto("/k/harbour/records/inspector/deviations");
  const waiting = await page.locator(".deviation input").count();
  if (waiting) {
    await page.getByRole("button", { name: "I have read them" }).click();
    await expect(page.locator(".deviation input")).toHaveCount(0);
    await expect(page.locator("#read + ul .deviation").first()).toContainText("Read by");
  }
});
