// The cold places: a night in which one fails, a move that buys days, a logger's
// file from elsewhere, a probe that falls silent, and the plan.
import { api, expect, fillLine, goLive, local, openAct, post as sendForm, settled, test } from "./help.js";

const minutes = (m) => Math.floor(Date.now() / 1000) + 60 * m;

// makePlace adds a place with a probe and returns what the probe sends with.
async function makePlace(page, name, kind = "walk_in") {
  await page.goto("/k/harbour/cold");
  await page.getByText("Add a place", { exact: true }).click();
  const form = page.locator(".new-place form");
  await form.getByLabel("Name").fill(name);
  await form.getByLabel("Kind").selectOption(kind);
  await form.getByLabel(/^Set temperature/).fill("1");
  await form.getByLabel(/^Holds at most/).fill("200");
  await form.getByRole("button", { name: "Add" }).click();
  await expect(page.locator(".places h2", { hasText: name })).toBeVisible();
  await page.goto("/k/harbour/cold/probes");
  await page.getByText("Add a probe", { exact: true }).click();
  const probe = name.toLowerCase().replaceAll(" ", "-") + "-air";
  await page.getByLabel(/^Name/).fill(probe);
  await page.getByLabel("What it is").selectOption("fixed");
  await page.getByLabel("Measures").selectOption(name);
  await page.getByLabel(/^Sends every/).fill("1");
  await page.getByLabel(/^There since/).fill(local(-48));
  await page.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByRole("heading", { name: probe })).toBeVisible();
  await page.getByRole("button", { name: "Make a new token" }).click();
  return { probe, secret: await page.locator(".token").innerText() };
}

// placeAtOnce does the same without the screens.
async function placeAtOnce(page, name, kind = "walk_in") {
  const post = (path, form) => sendForm(page, path, form);
  await post("/cold/places", { name, kind, set: "1", capacity: "200" });
  const { places } = await (await api(page.request, "GET", "/places")).json();
  const probe = name.toLowerCase().replaceAll(" ", "-") + "-air";
  const added = await post("/cold/probes", { name: probe, kind: "fixed", place_id: String(places.find((p) => p.name === name).id), interval: "1", since: local(-48) });
  const path = new URL(added.url()).pathname.replace("/k/harbour", "");
  const text = await (await post(path + "/token", {})).text();
  return { probe, path: "/k/harbour" + path, secret: text.match(/class="token">([^<]+)</)[1] };
}

// send sends readings of a probe with its own token.
async function send(request, { probe, secret }, records) {
  const answer = await request.post("/api/v1/readings", {
    headers: { Authorization: `Bearer ${secret}`, "Content-Type": "application/senml+json" },
    data: JSON.stringify(records.map(([t, v]) => ({ n: probe, u: "Cel", t, v }))),
  });
  expect(answer.status(), await answer.text()).toBe(200);
  return answer.json();
}

const span = (from, to, c) => Array.from({ length: to - from }, (_, i) => [minutes(from + i), c(from + i)]);

test("a night in which the walk-in failed: one page, all lots at once", async ({ page, request }, info) => {
  const name = `Night room ${info.project.name}${info.retry || ""}`;
  const sender = await placeAtOnce(page, name);
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
  await page.locator(".docket-fields summary").click();
  await page.getByLabel("Arrived").fill(local(-10));
  for (const [i, line] of [
    { species: "Atlantic cod", form: "gutted", count: 6, weight: 9, core: 0.6, caught: 40 },
    { species: "Atlantic halibut", form: "gutted", count: 1, weight: 90, core: 0.2, caught: 40 },
    { species: "Mackerel", form: "whole", count: 10, weight: 4, core: 0.9, caught: 20 },
  ].entries()) {
    if (i) await page.getByRole("button", { name: "Add a line" }).click();
    await fillLine(page, i, { ice: "well_iced", ...line });
    await page.locator(`[name="line-${i}-place_id"]`).selectOption(name);
  }
  await page.getByRole("button", { name: "Receive 3 lots" }).click();
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]/);
  // At a degree; from six hours ago up to nine for two hours; back.
  const air = (m) => (m < -360 || m > -225 ? 1 : m <= -240 ? 1 + (8 * (m + 360)) / 120 : 9 - (8 * (m + 240)) / 15);
  const got = await send(request, sender, span(-620, 0, air));
  expect(got.stored).toBe(620);

  await test.step("the alarm stands above every page, whatever the hour", async () => {
    await page.goto("/k/harbour/board");
    const line = page.locator(".alarm-line", { hasText: `${name}: Too warm` });
    const more = page.locator(".alarm-line", { hasText: /and \d+ more/ });
    await expect(line.or(more).first()).toBeVisible({ timeout: 15_000 });
    await expect(async () => {
      await page.goto("/k/harbour/cold");
      await page.locator(".alarm", { hasText: `${name}: Too warm` }).getByRole("link", { name: "Effect on the fish" })
        .click({ timeout: 1000 });
    }).toPass({ timeout: 15_000 });
    await expect(page.getByRole("heading", { name: `${name}: Too warm` })).toBeVisible();
    await expect(page.locator(".head")).toContainText("up to 9.0 °C, limit 2.0 °C");
    await expect(page.locator(".head")).toContainText("House strict. Local codes go first");
  });

  await test.step("what each lot lost, and what becomes of it", async () => {
    const group = (after) => page.locator(`.after-${after} tbody tr`);
    await expect(group("stopped").filter({ hasText: "mackerel" })).toContainText("histamine clock");
    await expect(group("cook").filter({ hasText: "Cod" })).toContainText("out of the cold for longer than the 2 h of the rules House strict");
    await expect(group("fine").filter({ hasText: "halibut" })).toContainText("the fish rose to");
    const lost = Number(await group("cook").filter({ hasText: "Cod" }).locator("td").nth(1).locator("b").innerText());
    expect(lost).toBeGreaterThan(0.03);
    expect(lost).toBeLessThan(0.5);
  });

  await test.step("record it: slips are named, then all at once", async () => {
    await page.getByRole("button", { name: "Record for all at once" }).click();
    await expect(page.getByText("choose what was done")).toBeVisible();
    await page.getByLabel(/What becomes of/).last().selectOption("cook");
    await page.getByRole("radio", { name: "Other" }).check();
    await page.getByRole("button", { name: "Record for all at once" }).click();
    await expect(page.getByText("say what was done")).toBeVisible();
    await expect(page.getByLabel(/What becomes of/).last()).toHaveValue("cook");
    await page.getByLabel("Note").fill("fuse was out, put in again");
    await page.getByRole("button", { name: "Record for all at once" }).click();
    await expect(page.locator(".notice", { hasText: "fuse was out" })).toBeVisible();
    await expect(page.locator(".after .tag-ok")).toHaveCount(3);
    await page.locator(".after tr", { hasText: "Cod" }).getByRole("link").click();
    await expect(page.locator(".events")).toContainText("to cook today; the fish up to");
    await expect(page.getByText("to be cooked: reviewed after a failure").first()).toBeVisible();
    await page.goto("/k/harbour/board");
    await expect(page.locator(".alarm-bar")).not.toContainText(name);
  });
});

test("a move that buys days: compared side by side, moved with one tap", { tag: "@phone" }, async ({ page }) => {
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
  await fillLine(page, 0, { species: "Haddock", form: "gutted", count: 4, weight: 5.2, core: 0.9, ice: "some_ice", caught: 30 });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  // The thermometer in the hand fills the field.
  await openAct(page, "Log temperature");
  const form = page.locator(".log-form[open]");
  await form.getByRole("button", { name: "from the thermometer" }).click();
  await expect(form.getByRole("button", { name: "taken from core-thermometer" })).toBeVisible();
  await expect(form.locator("[name=celsius]")).toHaveValue(/^-?\d+(\.\d)?$/);
  await form.getByRole("button", { name: "Log temperature" }).click();
  await expect(page.locator(".events")).toContainText("core ");
  await openAct(page, "What if");
  const days = async (option) => {
    const text = await page.locator(".option", { hasText: option }).locator(".option-life b").innerText();
    return text.endsWith("h") ? Number(text.slice(0, -1)) / 24 : Number(text.slice(0, -1));
  };
  const here = await days("Dock");
  await expect(page.locator(".option-here")).toContainText("not a place to keep fish");
  await expect(page.locator(".option-here")).toContainText("stops");
  await expect(page.locator(".option", { hasText: "Ice tote" })).toContainText("then fit: ");
  const iced = await days("Ice tote");
  expect(iced - here).toBeGreaterThan(1);
  await expect(page.locator(".option", { hasText: "Freezer" })).toContainText("paused");
  await expect(page.locator(".option", { hasText: "Slurry" })).toContainText("soaks it");
  await page.locator(".option", { hasText: "Ice tote" }).getByRole("button", { name: "Move" }).click();
  await expect(page.locator(".option-here")).toContainText("Ice tote");
  expect(Math.abs((await days("Ice tote")) - iced)).toBeLessThan(0.2);
});

test("a logger's file with decimal commas and the day first is read, confirmed, and known again", async ({ page }, info) => {
  const name = `File room ${info.project.name}${info.retry || ""}`;
  await placeAtOnce(page, name, "drawer");
  const file = (from, to) => {
    const lines = [`Seriennummer: KX-${info.project.name}${info.retry || ""};;`, "Zeitzone;UTC+02:00;", "Datum;Uhrzeit;Temperatur [°C]"];
    for (let m = from; m < to; m += 10) {
      const at = new Date(Date.UTC(2026, 5, 3, 4, 0) + m * 60_000).toISOString(); // 3 June: could be 6 March
      lines.push(`${at.slice(8, 10)}.${at.slice(5, 7)}.${at.slice(0, 4)};${at.slice(11, 16)};${(1.25 + (m % 60) / 100).toFixed(2).replace(".", ",")}`);
    }
    return { name: "kx.csv", mimeType: "text/csv", buffer: Buffer.from(lines.join("\r\n")) };
  };
  await page.goto("/k/harbour/import");
  await page.getByLabel("CSV file of a logger").setInputFiles(file(0, 600));
  await page.getByRole("button", { name: "Read the file" }).click();
  await expect(page.getByText(`Logger KX-${info.project.name}${info.retry || ""}. Headings: German. Separator semicolon.`)).toBeVisible();
  await expect(page.locator('[name="date_order"][value="dmy"]')).toBeChecked();
  await expect(page.locator('[name="unit"][value="C"]')).toBeChecked();
  await expect(page.getByLabel(/^Time zone/)).toHaveValue("UTC+02:00");
  await expect(page.locator("section", { hasText: "What was read" })).toContainText("Wed 3 Jun 04:00");
  await page.getByLabel(/^Time zone/).fill("Mars/Olympus");
  await settled(page);
  await expect(page.getByText("is not a time zone")).toBeVisible();
  await expect(page.getByLabel(/^Time zone/)).toHaveValue("Mars/Olympus");
  await page.getByLabel(/^Time zone/).fill("UTC+1");
  await settled(page);
  await expect(page.locator("section", { hasText: "What was read" })).toContainText("Wed 3 Jun 05:00");
  await page.getByRole("radio", { name: name }).check();
  await settled(page);
  await page.getByRole("button", { name: "Store 60 readings" }).click();
  await expect(page.getByRole("heading", { name: "Stored" })).toBeVisible();
  await page.goto("/k/harbour/import");
  await page.getByLabel("CSV file of a logger").setInputFiles(file(500, 700));
  await page.getByRole("button", { name: "Read the file" }).click();
  await expect(page.getByText(`known logger KX-${info.project.name}${info.retry || ""}: read as last time`)).toBeVisible();
  await expect(page.getByLabel(/^Time zone/)).toHaveValue("UTC+1");
  await page.getByRole("radio", { name: name }).check();
  await settled(page);
  await page.getByRole("button", { name: "Store 20 readings" }).click();
  await expect(page.getByRole("heading", { name: "Stored" })).toBeVisible();
  const [stored, there] = await page.locator(".small-figures dd").allTextContents();
  expect([stored, there]).toEqual(["10", "10"]);
});

test("a probe that falls silent is missed, explained, and heard again", async ({ page, request }, info) => {
  const name = `Still room ${info.project.name}${info.retry || ""}`;
  const sender = await makePlace(page, name);
  await send(request, sender, span(-90, -20, () => 1.2));
  await page.goto("/k/harbour/cold");
  const alarm = page.locator("#alarms .alarm", { hasText: name });
  await expect(alarm).toContainText("Probe silent", { timeout: 45_000 });
  await expect(alarm).toContainText("last it read 1.2 °C");
  await expect(page.locator(`.elevation a[aria-label^="${name}:"]`)).toHaveAttribute("aria-label", /Probe silent/);
  await alarm.getByLabel("What was done").selectOption("Battery changed");
  await alarm.getByLabel("Note").fill("second one this month");
  await alarm.getByRole("button", { name: "Save" }).click();
  await expect(page.locator("#alarms .alarm", { hasText: name })).toHaveCount(0);
  await page.locator(".place", { hasText: name }).getByRole("link", { name, exact: true }).click();
  await expect(page.locator(".alarms .alarm", { hasText: "Probe silent" })).toContainText("Battery changed: second one this month");
  await expect(page.locator(".trace-head")).toContainText("silent");
  await expect(page.locator("#chart canvas")).toBeVisible();
  const figure = page.locator("#now");
  await goLive(page, page.url());
  await send(request, sender, [[minutes(0), 1.7]]);
  await expect(figure).toHaveText("1.7 °C", { timeout: 5000 });
  await page.reload();
  await expect(page.locator(".trace-head")).not.toContainText("silent");
  // Its token sends nothing but its own readings, and reads nothing.
  const other = await request.post("/api/v1/readings", {
    headers: { Authorization: `Bearer ${sender.secret}`, "Content-Type": "application/senml+json" },
    data: JSON.stringify([{ n: "walk-in-air", u: "Cel", t: 0, v: 1 }]),
  });
  expect((await other.json()).refused[0].reason).toContain("another probe");
  expect((await request.get("/api/v1/lots", { headers: { Authorization: `Bearer ${sender.secret}` } })).status()).toBe(403);
});

test("the trace is zoomed by dragging, and says what the span did", async ({ page }, info) => {
  await page.goto("/k/harbour/cold/places/2?span=week");
  const chart = page.locator("#chart");
  await expect(chart).toHaveAttribute("data-drawn", "1");
  const measured = page.locator("#sums div", { hasText: /^Measured/ }).locator("dd");
  await expect(measured).toHaveText("7.0 d");
  const over = await page.locator("#chart .u-over").boundingBox();
  await page.mouse.move(over.x + over.width * 0.4, over.y + 60);
  await page.mouse.down();
  await page.mouse.move(over.x + over.width * 0.6, over.y + 90, { steps: 4 });
  await page.mouse.up();
  await expect(measured).toHaveText(/^(33|34)\.\d h$/);
  await page.locator("#chart .u-over").dblclick();
  await expect(measured).toHaveText("7.0 d");
});

test("the plan is arranged, and warns of raw fish above ready-to-eat food", async ({ page }, info) => {
  const name = `Raw tray ${info.project.name}${info.retry || ""}`;
  await placeAtOnce(page, name, "drawer");
  await page.goto("/k/harbour/cold?arrange=1");
  const row = page.locator(".arrange li", { hasText: name });
  await row.getByRole("button", { name: "up" }).click();
  await expect(row).toContainText("level 2");
  await page.locator(".arrange li", { hasText: name }).getByRole("button", { name: "up" }).click();
  await expect(page.locator(".arrange li", { hasText: name })).toContainText("level 3");
  // Walk to the column of the larder drawer, which holds ready-to-eat food.
  for (let i = 0; i < 12; i++) {
    const text = await page.locator(".arrange li", { hasText: name }).locator(".quiet").innerText();
    const column = Number(text.match(/column (\d+)/)[1]);
    if (column === 3) break;
    await page.locator(".arrange li", { hasText: name }).getByRole("button", { name: "to the left" }).click();
    await expect(page.locator(".arrange li", { hasText: name })).toContainText(`column ${column - 1}`);
  }
  await expect(page.locator(".plan-card")).toContainText(`${name} holds raw fish above ready-to-eat food in Larder drawer`);
  await page.locator(".arrange li", { hasText: name }).getByRole("button", { name: "to the left" }).click();
  await expect(page.locator(".plan-card")).not.toContainText(`${name} holds raw fish above`);
});

test("a probe is checked in ice, its offset applied from then on, and its readings moved to another", async ({ page, request }, info) => {
  const name = `Check room ${info.project.name}${info.retry || ""}`;
  const sender = await placeAtOnce(page, name);
  await page.goto(sender.path);
  await expect(page.getByText("never checked")).toBeVisible();
  await page.getByRole("radio", { name: "Melting ice" }).check();
  await page.getByLabel(/^It read/).fill("0,4");
  await page.getByRole("button", { name: "Record the check" }).click();
  await expect(page.getByText("−0.40 °C is added to each reading")).toBeVisible();
  const second = () => Math.floor(Date.now() / 1000);
  const checked = second();
  await expect.poll(second).toBeGreaterThan(checked); // readings from the second after the check on
  await send(request, sender, [[second(), 2]]);
  await page.reload();
  await expect(page.locator(".head")).toContainText("1.6 °C");
  await page.getByRole("radio", { name: "Melting ice" }).check();
  await page.getByLabel(/^It read/).fill("3");
  await page.getByRole("button", { name: "Record the check" }).click();
  await expect(page.getByText("broken: replace it")).toBeVisible();
  // A clock two hours ahead is put right, and said.
  const got = await send(request, sender, [[minutes(120), 1]]);
  expect(got.notes[0]).toMatch(/clock is (2h0m|1h59m)/);
  await page.reload();
  await expect(page.getByRole("heading", { name: /clock is 2\.0 h ahead/ })).toBeVisible();
  await expect(page.locator(".notes").first()).toContainText("ahead");
  // What it read came from another probe: given to that one, gone here.
  const other = await placeAtOnce(page, `Other room ${info.project.name}${info.retry || ""}`);
  await page.reload();
  await page.getByText("These readings are another probe's").click();
  await page.getByLabel("From", { exact: true }).fill(local(-1));
  await page.getByLabel("to", { exact: true }).fill(local(1));
  await page.getByLabel("were taken by").selectOption(other.probe);
  await page.getByRole("button", { name: "Assign them to it" }).click();
  await expect(page.locator(".notes").first()).toContainText(`given to ${other.probe}`);
  await page.goto(other.path);
  await expect(page.locator(".notes").first()).toContainText(`taken over from ${sender.probe}`);
});

test("a chilled vacuum pack without a record stops; raw fish is not packed without oxygen", async ({ page }, info) => {
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Dunlin Fish Merchants");
  await fillLine(page, 0, { species: "Atlantic salmon", form: "fillet_skin_on", count: 6, weight: 6, core: 1.1, ice: "none", caught: 40 });
  await page.getByLabel("Packed").selectOption("Vacuum or gas");
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  await expect(page.locator(".notice-stop")).toContainText("without a continuous record or an indicator on each pack");
  await expect(page.getByRole("heading", { name: "Reduced-oxygen clock", exact: true })).toBeVisible();
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Dunlin Fish Merchants");
  await fillLine(page, 0, { species: "Atlantic cod", form: "gutted", count: 2, weight: 6, core: 1.1, ice: "well_iced", caught: 40 });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  await openAct(page, /^Pack$/);
  await page.getByRole("radio", { name: "In film" }).check();
  await page.getByLabel(/^Film: oxygen/).fill("40");
  await page.locator(".log-form[open]").getByRole("button", { name: "Pack" }).click();
  await expect(page.getByText("raw fish is not packed without oxygen to be kept chilled")).toBeVisible();
  await expect(page.getByLabel(/^Film: oxygen/)).toHaveValue("40");
  await page.getByLabel(/^Film: oxygen/).fill("12000");
  await page.locator(".log-form[open]").getByRole("button", { name: "Pack" }).click();
  await expect(page.locator(".events")).toContainText("in film, oxygen transmission 12000");
});
