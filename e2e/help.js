import { readFileSync } from "node:fs";
import AxeBuilder from "@axe-core/playwright";
import { test as plain, expect } from "@playwright/test";
import { address } from "./playwright.config.js";

export { expect };

// Each worker has a demo of its own, so that no journey meets another's fish.
export const test = plain.extend({ baseURL: ({}, use, info) => use(address(info.parallelIndex)) });

const kept = (name) => readFileSync(new URL(`../.data/e2e-${test.info().parallelIndex}/${name}`, import.meta.url), "utf8").trim();
export const token = () => kept("demo-token");
export const password = () => kept("demo-password");
export const api = (request, method, path, options = {}) =>
  request.fetch("/api/v1" + path, { method, ...options, headers: { Authorization: `Bearer ${token()}`, ...options.headers } });

// event writes an event of a lot by the API.
export async function event(request, lot, kind, hours, data) {
  const answer = await api(request, "POST", `/lots/${lot}/events`, { data: { id: crypto.randomUUID(), kind, happened_at: new Date(Date.now() + hours * 3600_000).toISOString(), data } });
  expect(answer.status(), await answer.text()).toBe(201);
}

// local writes a local date and time as a datetime-local field takes it.
export function local(hoursFromNow) {
  const t = new Date(Date.now() + hoursFromNow * 3600_000);
  const part = Object.fromEntries(
    new Intl.DateTimeFormat("en-GB", {
      timeZone: "Europe/Oslo",
      year: "numeric",
      month: "2-digit",
      day: "2-digit",
      hour: "2-digit",
      minute: "2-digit",
      hourCycle: "h23",
    })
      .formatToParts(t)
      .map((p) => [p.type, p.value]),
  );
  return `${part.year}-${part.month}-${part.day}T${part.hour}:${part.minute}`;
}

// fillLine fills a line of the docket form.
export async function fillLine(page, n, line) {
  const field = (name) => page.locator(`[name="line-${n}-${name}"]`);
  await page.locator(".line").nth(n).locator("details").evaluate((d) => (d.open = true));
  for (const name of ["species", "count", "weight", "core", "supplier_lot"]) {
    const input = { weight: "weight_kg", core: "core_celsius" }[name] ?? name;
    if (line[name] !== undefined) await field(input).fill(String(line[name]));
  }
  if (line.form) await field("form").selectOption(line.form);
  if (line.place !== null) await field("place_id").selectOption({ label: line.place ?? "Dock" });
  if (line.ice) await page.locator(`[name="line-${n}-ice"][value="${line.ice}"]`).check();
  if (line.caught !== undefined) {
    const [day, hour] = local(-line.caught).split("T");
    await field("claim.means").selectOption("caught");
    await field("label-day").fill(day);
    await field("label-hour").fill(hour);
  }
}

// post sends a form of the Harbour kitchen, as the page's person.
export async function post(page, path, form) {
  const answer = await page.request.post("/k/harbour" + path, { form });
  expect(answer.ok(), await answer.text()).toBe(true);
  return answer;
}

// settled waits until a form that is followed by its preview shows what it comes to.
export const settled = (page) => expect.poll(() => page.locator("form[data-follow]").evaluate((f) => f.dataset.followed === Forms.text(f))).toBe(true);

let walkway; // where fish arrives; places have the same ids in every demo

// receiveAt takes one line in some hours from now, without the screen, and returns the
// id of its lot. Hours of caught count back from then.
export async function receiveAt(page, hours, line) {
  walkway ??= (await (await api(page.request, "GET", "/places")).json()).places.find((p) => p.name === "Dock").id;
  const { supplier, species, form, count, weight, core, ice, caught, frozen, supplier_lot, origin, price } = {
    supplier: "Skua Day-boat", species: "Atlantic cod", form: "whole", count: 1, weight: 3.2, core: 0.8, ice: "well_iced", caught: 30, supplier_lot: "", ...line,
  };
  const answer = await post(page, "/deliveries/receive", {
    new_id: crypto.randomUUID(), lines: "1", action: "receive", supplier, arrived_at: local(hours),
    "line-0-species": species, "line-0-form": form, "line-0-count": String(count), "line-0-weight_kg": String(weight), "line-0-core_celsius": String(core),
    "line-0-ice": ice, "line-0-supplier_lot": supplier_lot, "line-0-place_id": String(walkway),
    ...(caught && { "line-0-claim.means": "caught", "line-0-label-day": local(hours - caught).slice(0, 10), "line-0-label-hour": local(hours - caught).slice(11) }), ...(frozen && { "line-0-frozen": "on" }), ...(origin && { "line-0-origin": origin }), ...(price && { "line-0-price_cents_per_kg": String(price) }),
  });
  const main = (await answer.text()).split("<main")[1];
  return main.match(/\/lots\/([0-9a-f-]{36})/)[1];
}

// receive takes one line in now and returns the address of its lot's card.
export const receive = async (page, line) => "/k/harbour/lots/" + (await receiveAt(page, 0, line));

// goLive opens a page and waits until its live channel is open.
export async function goLive(page, path) {
  const open = page.waitForResponse((r) => r.url().endsWith("/live"));
  await page.goto(path);
  await open;
}

// loggerFile is a CSV of readings each five minutes up to now.
export function loggerFile({ hours, celsius, heading = "time;reading", bad = [] }) {
  const lines = [heading];
  const start = Math.floor(Date.now() / 300_000) * 300_000 - hours * 3600_000;
  for (let t = start; t <= Date.now(); t += 300_000)
    lines.push(`${local((t - Date.now()) / 3600_000).replace("T", " ")};${celsius.toFixed(1).replace(".", ",")}`);
  return Buffer.from([...lines, ...bad].join("\n") + "\n");
}

// choose picks the levels of signs in turn, as a finger or a hand on the keys
// does, and waits until the server has read them.
export async function choose(page, levels, phone) {
  await page.waitForURL(/\/inspect/);
  for (const [i, level] of levels.entries()) {
    await expect(page.locator(".sign-now .sign-n")).toHaveText(new RegExp(`^${i + 1}/`));
    if (phone) await page.locator(".sign-now .level").nth(level).tap();
    else await page.keyboard.press(String(level + 1));
    await expect(page.locator("#look")).toContainText(new RegExp(`${i + 1}/\\d+ signs`));
  }
}

// takeShift changes who is on shift.
export async function takeShift(page, name) {
  await page.goto("/k/harbour/shift");
  await page.getByRole("button", { name: new RegExp(name) }).click();
  await expect(page.getByRole("link", { name: `On shift: ${name}` })).toBeVisible();
}

// check holds a page to WCAG 2.2 AA and to good practice, to its width, and to what a
// thumb can hit. Of one that was held to all of it on another screen some rules are left.
export async function check(page, path, rules) {
  const axe = new AxeBuilder({ page }).options({ resultTypes: ["violations"] }).setLegacyMode(); // quick: there are no frames
  if (rules) axe.withRules(rules);
  else axe.withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]);
  const { violations } = await axe.analyze();
  expect.soft(violations.map((v) => `${v.id}: ${v.nodes[0].target} ${v.nodes[0].failureSummary}`), path).toEqual([]);
  expect.soft(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth), path).toBeLessThanOrEqual(0);
  const small = await page.evaluate(() =>
    [...document.querySelectorAll("main .btn, main input:not([type=hidden]):not([type=radio]):not([type=checkbox]), main select, .station")]
      .filter((e) => e.offsetParent && e.getBoundingClientRect().height < 44)
      .map((e) => e.outerHTML.slice(0, 80)),
  );
  expect.soft(small, path).toEqual([]);
}

// openAct folds out the form of an act on a lot's card, or follows its link, wherever it stands there.
export async function openAct(page, name) {
  const act = page.locator(".log :is(summary, a.btn)", { hasText: name }).filter({ hasNotText: "More" }).first();
  await expect(async () => { // the card's top is drawn anew when something changes, and folds what was folded out
    if (!(await act.isVisible())) await page.locator(".more-acts > summary").click();
    const fold = await act.evaluate((el) => el.matches("summary") && { open: el.parentElement.open });
    if (fold.open) return;
    await act.click({ timeout: 2000 });
    if (fold) expect(await act.evaluate((el) => el.parentElement.open)).toBe(true);
  }).toPass({ timeout: 15_000 });
}
