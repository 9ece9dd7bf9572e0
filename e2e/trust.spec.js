// The judgement as its users meet it: histories that were once judged wrongly, on the page
// where any record can be tried, and perfect fish from the van to the raw plate.
import { check, event, expect, openAct, receiveAt, takeShift, test } from "./help.js";

const uses = (page, n) => page.locator(".history-moments .card").nth(n).locator(".head-uses");
const open = (page, example) => page.goto("/k/harbour/history?example=" + example);

test("a freezer that failed under a vacuum pack closes every use, for good", async ({ page }) => {
  await open(page, "freezer");
  await expect(uses(page, 0)).not.toContainText("not cook"); // before it failed
  for (const n of [1, 2]) for (const use of ["raw", "cook", "freeze", "dry-age", "stock pot"]) await expect(uses(page, n)).toContainText("not " + use);
  const last = page.locator(".history-moments .card").nth(2);
  await expect(last).toContainText("Thawed in the freezer");
  await expect(last).toContainText("Pack without oxygen");
  await expect(page.locator("svg.coldline")).toContainText("Out of the cold");
});

test("a dealer's mackerel keeps overnight in a kitchen with a clipboard", { tag: "@phone" }, async ({ page }) => {
  await open(page, "mackerel");
  for (const n of [0, 1, 2]) await expect(uses(page, n).locator(".chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
  await expect(page.locator("svg.coldline")).toContainText("checked");
  // A check that nobody wrote: the same fish is unknown in the morning.
  const text = await page.getByLabel("The record, as JSON").inputValue();
  const record = JSON.parse(text);
  record.places[0].sources[0].readings = record.places[0].sources[0].readings.slice(0, 1);
  await page.getByLabel("The record, as JSON").fill(JSON.stringify(record));
  await page.getByRole("button", { name: "Judge it" }).click();
  await expect(uses(page, 1)).toContainText("not cook");
  await expect(page.locator(".history-moments .card").nth(1)).toContainText("without a temperature record");
  // What cannot be read is named, and nothing that was typed is lost.
  await page.getByLabel("The record, as JSON").fill(text.replace('"mackerel"', '"mackrel"'));
  await page.getByRole("button", { name: "Judge it" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "species" })).toContainText("is not in the catalogue");
  await expect(page.getByLabel("The record, as JSON")).toHaveValue(/"mackrel"/);
  await check(page);
});

test("a catch on a hot day, iced in twenty minutes, is good fish", async ({ page }) => {
  await open(page, "hot-day");
  await expect(uses(page, 2).locator(".chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
  await expect(page.locator(".history-moments .card").nth(2)).not.toContainText("From death to ice");
});

test("cooked fish forgotten on the bench is discarded", async ({ page }) => {
  await open(page, "bench");
  await expect(uses(page, 0).locator(".chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
  await expect(uses(page, 2)).toContainText("not cook");
  await expect(page.locator(".history-moments .card").nth(2)).toContainText("Cooked and chilled");
  await expect(page.locator(".history-moments .card").nth(2)).toContainText("discard it");
});

test("a perfect bass of a dealer is received, looked at and served raw", async ({ page, request }) => {
  await takeShift(page, "Ansa");
  const id = await receiveAt(page, -1, { supplier: "Dunlin Fish Merchants", species: "Sea bass", form: "gutted", count: 1, weight: 0.8, core: 0.6, caught: 20, origin: "farmed" });
  const card = "/k/harbour/lots/" + id;
  await page.goto(card);
  await expect(page.locator(".head-uses")).toContainText("not raw"); // nobody looked at it
  await event(request, id, "inspected", -0.8, {
    scheme: "demerit20",
    fish: [{ skin: 0, blood_spots: 0, stiffness: 0, belly: 0, smell: 0, eye_clarity: 0, eye_shape: 0, gill_colour: 0, gill_smell: 0 }],
    decision: "accept",
  });
  await page.goto(card);
  await expect(page.locator(".head-uses .chip:not(.chip-no)", { hasText: "raw" })).toBeVisible();
  await openAct(page, "Take");
  await page.locator(".log-form[open]").getByRole("radio", { name: "served raw" }).check();
  await page.locator(".log-form[open]").getByRole("checkbox", { name: /^All that is left/ }).check();
  await page.locator(".log-form[open]").getByRole("button", { name: "Take" }).click();
  await expect(page.locator(".events")).toContainText("served raw");
});
