// From death to delivery: a catch stamped on deck, its histamine clock to the end,
// rigor that forbids the knife, and the ice of a trip.
import { api, expect, local, openAct, post, receive, settled, takeShift, test } from "./help.js";

// land lands a catch of our own some hours ago and stays on its stamps.
async function land(page, catchOf) {
  await page.goto("/k/harbour/deliveries");
  await page.getByRole("link", { name: "Own catch", exact: true }).click();
  const form = page.locator("form.land");
  await form.getByLabel("Species").fill(catchOf.species);
  await form.getByLabel("Fish", { exact: true }).fill(String(catchOf.count));
  await form.getByLabel("Weight").fill(String(catchOf.weight));
  await form.getByLabel("Water").fill(String(catchOf.water));
  await form.getByLabel("Air").fill(String(catchOf.air));
  await form.getByLabel("Boat").fill("Skiff Tern");
  await form.getByLabel("Where").fill("off the Outer Skerries");
  await form.getByLabel("Landed").fill(local(-catchOf.hours));
  await form.getByLabel("Place").selectOption({ label: "Deck" });
  await form.getByRole("button", { name: "Save the catch" }).click();
  await expect(page).toHaveURL(/lots\/[0-9a-f-]+\/own-catch$/);
  return page.url().replace(/.*(\/k\/harbour\/lots\/[0-9a-f-]+).*/, "$1");
}

// usual is what is chosen beside each button where a journey says nothing else.
const usual = { Killed: ["Spiked, cord destroyed"], Bled: ["Gills cut", "Clean seawater"], Gutted: ["Gills out too"], "On ice": ["Deck box", "Boxed in ice"] };

// stamp presses a big button, at an hour before now or as of now.
async function stamp(page, name, hours, options = async () => {}) {
  for (const radio of usual[name]) await page.getByRole("radio", { name: radio, exact: true }).check();
  await options();
  if (hours !== undefined) {
    await page.getByText("at another time").click();
    await page.getByLabel("At", { exact: true }).fill(local(-hours));
  }
  const button = page.locator(".stamp-button", { hasText: name });
  expect((await button.boundingBox()).height).toBeGreaterThanOrEqual(72);
  await button.click();
  await expect(page.locator(".stamp-done", { hasText: name })).toBeVisible();
}

const core = async (page, card, celsius, hours) => {
  await page.goto(card);
  await openAct(page, "Log temperature");
  await page.locator(".log-form[open]").getByLabel("Core temperature").fill(String(celsius));
  if (hours) await page.locator("#temperature-happened_at").fill(local(-hours));
  await page.locator(".log-form[open]").getByRole("button", { name: "Log temperature" }).click();
  await expect(page.locator(".log-form[open]")).toHaveCount(0);
};

// iceSeen notes, so many hours ago, that there was ice in the deck box.
const iceSeen = (page, hours) => post(page, "/cold/places/7/ice", { new_id: crypto.randomUUID(), kind: "found", kg: "14", ice_at: local(-hours) });

test("a mackerel catch, iced later than somebody wrote, stopped, held, and let go on its test", { tag: "@phone" }, async ({ page, request }) => {
  let card;
  await test.step("stamped on deck: killed, not bled, iced after 7.2 of 9 hours", async () => {
    card = await land(page, { species: "Mackerel", count: 30, weight: 11.4, water: 14, air: 18, hours: 16 });
    await stamp(page, "Killed", 15.9, () => page.getByRole("radio", { name: "Left to die" }).check());
    await expect(page.locator(".deck-now")).toContainText("15 h 5");
    await expect(page.locator(".deck-now")).toContainText("stopped"); // not in ice after 15 h
    await expect(page.locator(".deck-now")).toContainText("and not chilled yet");
    await stamp(page, "On ice", 8.7, async () => {
      await page.getByRole("radio", { name: "Deck box" }).check();
      await page.getByLabel("Ice kg").fill("14");
    });
    await iceSeen(page, 5);
    await page.goto(page.url());
    await expect(page.locator(".stamp-done", { hasText: "On ice" })).toContainText("7 h 1");
    await expect(page.locator(".deck-now")).toContainText("near its limit"); // 80 % of the nine hours
    await expect(page.getByRole("img", { name: /Death to chilling: 7\.[12] h of 9 h/ })).toBeVisible();
  });

  await test.step("its core cooled in time", async () => {
    for (const [celsius, hours] of [
      [2, 3],
      [1, 0.02],
    ])
      await core(page, card, celsius, hours);
    await expect(page.locator("[aria-labelledby=clock]")).toContainText("near its limit");
    await expect(page.locator("[aria-labelledby=clock]")).toContainText(/afterwards0\.0 h of 8 h/);
    await expect(page.locator(".head-uses .chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
    await page.goto("/k/harbour/board");
    await expect(page.locator(".lot-row", { has: page.locator(`a[href="${card}"]`) })).toContainText(/histamine 8\d %/);
  });

  await test.step("it came on ice later than somebody wrote: the lot stops by itself", async () => {
    await page.goto(card);
    const entry = page.locator(".event", { hasText: "On ice" }).first();
    await entry.locator("summary", { hasText: "Cancel entry" }).click();
    await entry.getByLabel("Why is it wrong?").fill("the box was filled at another hour");
    await entry.getByRole("button", { name: /^Cancel entry/ }).click();
    await expect(page.locator(".event-void", { hasText: "On ice" })).toBeVisible();
    await page.goto(card + "/own-catch");
    await stamp(page, "On ice", 6.4);
    await page.goto(card);
    await expect(page.locator("[aria-labelledby=clock]")).toContainText("stopped");
    await expect(page.getByText(/Stopped: time to chilling: limit passed/)).toBeVisible();
    await expect(page.locator("[aria-labelledby=clock]")).toContainText(/Death to chilling9\.[456] h of 9 h/);
    for (const use of ["raw", "cook", "stock"]) await expect(page.locator(".head-uses")).toContainText("not " + use);
    await openAct(page, "Take");
    await page.locator(".log-form[open]").getByRole("radio", { name: "cooked" }).check();
    await page.locator(".log-form[open]").getByRole("checkbox", { name: /^All that is left/ }).check();
    await page.locator(".log-form[open]").getByRole("button", { name: "Take" }).click();
    await expect(page.locator(".log-form[open]")).toContainText("What ends it: a manager's explanation");
  });

  await test.step("crew cannot let it go, not even through the API's door", async () => {
    await takeShift(page, "Cato");
    await page.goto(card);
    await expect(page.locator("[aria-labelledby=clock]")).toContainText("It needs a manager");
    await expect(page.getByText("Enter a test")).toHaveCount(0);
    await takeShift(page, "Ansa");
  });

  await test.step("a manager enters nine results; too few are asked for again, and nothing is lost", async () => {
    await page.goto(card);
    await page.locator("[aria-labelledby=clock] summary", { hasText: "Enter a test" }).click();
    await page.getByLabel("Sampling plan").selectOption("eu2073");
    await page.getByLabel("Results").fill("4 6 3 8 5");
    await page.getByLabel("Laboratory and report").fill("Harbour laboratory, report 118");
    await page.getByRole("button", { name: "Judge by the plan" }).click();
    await expect(page.getByText("5 given: the plan asks for 9")).toBeVisible();
    await expect(page.getByLabel("Results")).toHaveValue("4 6 3 8 5");
    await expect(page.getByLabel("Laboratory and report")).toHaveValue("Harbour laboratory, report 118");
    await page.getByLabel("Results").fill("4 6 3 8 5 7 12 9 110");
    await page.getByRole("button", { name: "Judge by the plan" }).click();
    await expect(page.locator("[aria-labelledby=clock]")).toContainText("explained or tested");
    await expect(page.locator(".events")).toContainText("the highest of 9 is 110 mg/kg; 1 above m = 100");
    await expect(page.locator(".head-uses .chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
    const lot = await (await api(request, "GET", card.replace("/k/harbour", ""))).json();
    expect(lot.stops).toEqual([]);
  });
});

test("a catch whose core grew warm again is closed by degrees, and nothing opens it", async ({ page }) => {
  const card = await land(page, { species: "Atlantic cod", count: 3, weight: 6.2, water: 9, air: 10, hours: 9 });
  await stamp(page, "Killed", 8.9, () => page.getByRole("radio", { name: "Spiked, cord destroyed" }).check());
  await stamp(page, "On ice", 8.5);
  for (const [celsius, hours] of [
    [2, 5.2],
    [9, 5.1],
    [9, 4.9],
    [1, 4],
  ])
    await core(page, card, celsius, hours);
  const clock = page.locator(".safety-clocks li", { hasText: "Out of the cold" });
  await expect(clock).toContainText("closes raw, dry-age, freeze");
  await expect(page.locator(".head-uses .chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();
  await core(page, card, 9, 0.02);
  await expect(clock).toContainText("closes every use");
  await expect(clock).toContainText("discard it");
  await openAct(page, "Take");
  await page.locator(".log-form[open]").getByRole("radio", { name: "cooked" }).check();
  await page.locator(".log-form[open]").getByRole("checkbox", { name: /^All that is left/ }).check();
  await page.locator(".log-form[open]").getByRole("button", { name: "Take" }).click();
  await expect(page.locator(".log-form[open]")).toContainText("out of the cold");
});

test("a cod in rigor may not be filleted until it is over", async ({ page }, info) => {
  let card;
  await test.step("caught, killed, bled, gutted and iced on deck", async () => {
    card = await land(page, { species: "Atlantic cod", count: 3, weight: 7.8, water: 10, air: 11, hours: 64.2 });
    await stamp(page, "Killed", 64, () => page.getByRole("radio", { name: "Spiked, cord destroyed" }).check());
    await stamp(page, "Bled", 63.8);
    await stamp(page, "Gutted", 63.5);
    await stamp(page, "On ice", 63.3, () => page.getByLabel("Ice kg").fill("20"));
    await expect(page.locator(".stamp-done")).toHaveCount(4);
    await expect(page.locator(".stamp-done", { hasText: "Bled" })).toContainText(/1[123] min after death/); // stamps are whole minutes
  });

  await test.step("the card says what it forbids, and until when", async () => {
    for (const hours of [50, 36, 22, 8]) await iceSeen(page, hours);
    await page.goto(card);
    await expect(page.locator("#rigor-stage")).toHaveText("in rigor");
    await expect(page.locator(".bans")).toContainText("fillet");
    await expect(page.locator(".bans")).toContainText("flesh in rigor tears and gapes");
    await expect(page.locator(".harvest-says")).toContainText("bled in time");
    await expect(page.locator(".fit", { hasText: "Fillet" })).toContainText("rigor is over for certain");
    await expect(page.locator(".bans")).toContainText(/by feel from (\w{3} \d+ \w{3} )?\d\d:\d\d/);
    if (info.project.name === "desk") await expect(page.locator("svg.harvest")).toContainText("in rigor");
  });

  await test.step("what is due in the next day stands on the bench, late in the evening too", async () => {
    await page.goto("/k/harbour/bench");
    const dues = page.locator("a.card-row", { hasText: (await (await page.request.get(card)).text()).match(/class="code">([A-Z]+-\d+)</)[1] });
    await expect(dues.filter({ hasText: /Fillet|Feel for rigor/ }).first()).toBeVisible();
  });

  await test.step("a step stamped by mistake is taken back and written again", async () => {
    await page.goto(card + "/own-catch");
    await page.getByRole("button", { name: "Undo Gutted" }).click();
    await expect(page.locator(".stamp-button", { hasText: "Gutted" })).toBeVisible();
    await page.goto(card);
    await expect(page.locator(".event-void", { hasText: "Gutted" })).toContainText("stamped by mistake");
    await page.goto(card + "/harvest");
    const gutted = local(-63.6);
    await page.locator("#gutted_at").fill(gutted);
    await page.locator("#method").selectOption("stun"); // changed: asks why
    await page.getByRole("button", { name: "Record", exact: true }).click();
    await expect(page.getByText("you change what was written down: say why")).toBeVisible();
    await expect(page.locator("#gutted_at")).toHaveValue(gutted);
    await page.locator("#reason").fill("they were stunned, says the skipper");
    await page.getByRole("button", { name: "Record", exact: true }).click();
    await expect(page).toHaveURL(/lots\/[0-9a-f-]+$/);
    await expect(page.locator(".event-void", { hasText: "Killed" })).toContainText("they were stunned");
    await expect(page.locator(".events")).toContainText("Killed Stunned");
  });
});

test("a trip is planned with its ice, and the box topped up", { tag: "@phone" }, async ({ page, request }) => {
  await test.step("what is missing is said beside its field", async () => {
    await page.goto("/k/harbour/cold");
    await page.getByRole("link", { name: "Plan the ice" }).click();
    await page.getByLabel("Species").fill("Atlantic cod");
    await page.keyboard.press("Escape");
    await page.getByLabel("How many").fill("8");
    await page.getByLabel("Fish now").fill("12");
    await page.getByLabel("Box").selectOption({ label: "Deck box · 72 l" });
    await page.getByLabel("Fish now").press("Enter");
    await expect(page.locator(".field", { hasText: "Fish in all" }).locator(".error")).toBeVisible();
    await expect(page.getByLabel("Fish now")).toHaveValue("12");
  });

  await test.step("ice to cool and to hold, by the heat balance", async () => {
    await page.getByLabel("Fish in all").fill("25");
    await page.getByLabel("Air outside").fill("20");
    await page.getByLabel("For hours").fill("8");
    await settled(page);
    await expect(page.locator("#ice-total")).toHaveText("5.53 kg"); // 25·3.75·12/334 + 1.2567·20·8·3600/334000
    await expect(page.locator(".plan-answer")).toContainText("to hold 2.17 kg");
    await expect(page.locator(".plan-answer")).toContainText("it lasts the whole time");
    await expect(page).toHaveURL(/species=Atlantic\+cod/);
    await expect(page.locator("table.ways tbody tr")).toHaveCount(4);
    const hours = await page.locator("table.ways tbody td:nth-child(2)").allTextContents();
    const [boxed, slurry, racked, gel] = hours.map((t) => (t.endsWith("min") ? parseFloat(t) / 60 : parseFloat(t)));
    expect(slurry).toBeLessThan(boxed);
    expect(boxed).toBeLessThan(racked);
    expect(racked).toBeLessThan(gel);
  });

  await test.step("too much fish has no room for its ice", async () => {
    await page.getByLabel("Fish in all").fill("64");
    await settled(page);
    await expect(page.locator(".plan-answer")).toContainText("no room");
  });

  await test.step("the box is topped up, and its forecast begins anew", async () => {
    await page.goto("/k/harbour/cold");
    const box = page.locator(".place", { hasText: "Deck box" });
    await box.getByLabel("Ice kg").fill("1"); // none would say that other lots lay without
    await box.getByRole("button", { name: "Found" }).click();
    await expect(box).toContainText("1.00 kg of ice left");
    await box.getByLabel("Ice kg").fill("6.5");
    await box.getByRole("button", { name: "Top up ice" }).click();
    await expect(box).toContainText("7.50 kg of ice left");
    await expect(box).toContainText("gone");
    const { places } = await (await api(request, "GET", "/places")).json();
    const told = places.find((p) => p.name === "Deck box");
    expect(told.ice_left_kg).toBeCloseTo(7.5, 1);
    expect(Date.parse(told.ice_gone_at) - Date.now()).toBeCloseTo((told.ice_left_kg / told.melt_kg_per_hour) * 3600_000, -5);
    await box.getByLabel("Ice kg").fill("");
    await box.getByRole("button", { name: "Top up ice" }).click();
    await expect(box.locator(".field .error")).toBeVisible();
  });
});

test("a delivered former without a record is held until a manager accounts for it", async ({ page }) => {
  const card = await receive(page, { species: "Mackerel", count: 12, weight: 4.4, core: 1.1, caught: 20 });
  await page.goto(card);
  await expect(page.getByText(/Stopped: time to chilling: record missing/)).toBeVisible();
  await page.locator("[aria-labelledby=clock] summary", { hasText: "Explain missing hours" }).click();
  await page.getByRole("button", { name: "Save the explanation" }).click();
  await expect(page.getByText("say what happened, and how it is known")).toBeVisible();
  await page.getByLabel("What happened").fill("Skua's sheet of today: iced within two hours of death, ice all the way");
  await page.getByRole("button", { name: "Save the explanation" }).click();
  await expect(page.locator("[aria-labelledby=clock]")).toContainText("in order");
  await expect(page.locator(".head-uses .chip:not(.chip-no)", { hasText: "cook" })).toBeVisible();

  // The boat's own record says otherwise: what was recorded outweighs an account.
  await page.getByRole("link", { name: "Write its harvest record" }).click();
  await page.locator("#killed_at").fill(local(-20));
  await page.locator("#method").selectOption("air");
  await page.locator("#air_celsius").fill("16");
  await page.locator("#caught_at").fill(local(-20));
  await page.locator("#iced_at").fill(local(-8));
  await page.locator("#way").selectOption({ index: 1 });
  await page.getByRole("button", { name: "Record", exact: true }).click();
  await expect(page.getByText(/Stopped: time to chilling: limit passed: 12\.0 h from death to chilling, of 9 h allowed/)).toBeVisible();
});

test("the deck works without scripts", async ({ browser, baseURL }, info) => {
  const page = await browser.newPage({ ...info.project.use, javaScriptEnabled: false, baseURL });
  const card = await land(page, { species: "Haddock", count: 4, weight: 5.2, water: 9, air: 10, hours: 2 });
  await stamp(page, "Killed", 1.9);
  await stamp(page, "Bled", 1.8);
  await page.goto(card);
  await expect(page.locator(".harvest-says")).toContainText("bled in time");
  await page.goto("/k/harbour/cold/ice-plan?species=haddock&weight_kg=5.2&count=4&from=10&outside=10&hours=4&place_id=7");
  await expect(page.locator("#ice-total")).toContainText("kg");
  await page.close();
});
