// What leaves a lot in parts.
import { api, check, event, expect, local, openAct, receive, receiveAt, settled, test } from "./help.js";

const form = (page) => page.locator(".log-form[open]");
const head = (page) => page.locator("main .head").first(); // the rest is drawn anew by itself, before what was sent is answered

test("some of a lot goes to the staff, some is wasted for a reason, and the rest is right", { tag: "@phone" }, async ({ page }) => {
  const card = await receive(page, { species: "Atlantic cod", form: "gutted", count: 4, weight: 8 });

  await test.step("nothing is chosen for one, and what is missing is said beside it", async () => {
    await page.goto(card);
    await openAct(page, "Take");
    await expect(form(page).locator(":checked")).toHaveCount(0);
    await form(page).getByLabel("Pieces").fill("1");
    await form(page).getByRole("radio", { name: "wasted" }).check();
    await form(page).getByLabel("Note").fill("on the floor");
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(form(page)).toContainText("say why it is thrown away");
    await expect(form(page).getByLabel("Note")).toHaveValue("on the floor");
    await check(page);
    await form(page).getByRole("radio", { name: "dropped or spilled" }).check();
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(page.locator(".events")).toContainText("1 piece wasted, dropped or spilled, on the floor");
    await expect(head(page)).toContainText("3 × Gutted");
    await expect(head(page)).toContainText("6.00 kg");
  });

  await test.step("by weight, for the staff: the reason for waste is not asked, and the scale may not find more than there is", async () => {
    await openAct(page, "Take");
    await form(page).getByRole("radio", { name: "eaten by the staff" }).check();
    await expect(form(page).getByRole("radio", { name: "dropped or spilled" })).toBeHidden();
    await form(page).getByLabel("Weight").fill("62");
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(form(page)).toContainText("is more than there is: 6.00 kg");
    await form(page).getByLabel("Weight").fill("0.62");
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(head(page)).toContainText("5.38 kg");
  });

  await test.step("what nobody inspected is not served raw, and a slip is undone", async () => {
    await openAct(page, "Take");
    await form(page).getByRole("radio", { name: "served raw" }).check();
    await form(page).getByRole("checkbox", { name: /^All that is left/ }).check();
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(form(page).getByRole("alert").first()).toBeVisible();
    await expect(form(page).getByRole("checkbox", { name: /^All that is left, 5.38 kg/ })).toBeChecked();
    await form(page).getByRole("radio", { name: "cooked" }).check();
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(page.locator(".events")).toContainText("all that was left cooked");
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect(page.locator(".event-void", { hasText: "Taken" })).toBeVisible();
    await expect(head(page)).toContainText("5.38 kg");
  });

  await test.step("what was wasted stands in the records, by week, reason and supplier", async () => {
    await page.goto("/k/harbour/records/waste");
    const row = page.locator("table", { hasText: "Species" }).getByRole("row", { name: /on the floor/ }).filter({ has: page.locator(`a[href="${card}"]`) });
    await expect(row).toContainText("about 2.00 kg");
    await expect(page.locator("section", { hasText: "By reason" }).getByRole("rowheader", { name: "dropped or spilled" })).toBeVisible();
    await check(page);
  });
});

const cutAddress = (card) => card.replace("/lots/", "/bench/cut/");

// weigh puts a part on the scale and says where it goes.
async function weigh(page, part, { kg, count, to }) {
  const add = page.locator(`#add-${part}`);
  await expect(async () => { // what is typed before draws the page anew, and may move the button away from under the finger
    if (!/part-on/.test(await add.getAttribute("class"))) await add.click();
    await expect(add).toHaveClass(/part-on/, { timeout: 3000 });
  }).toPass({ timeout: 15_000 });
  const row = page.locator(".cut-row").first(); // what lies on the scale stands on top
  if (kg) await row.getByLabel("Weight").fill(String(kg));
  if (count) await row.getByLabel("Pieces").fill(String(count));
  if (to) await row.getByLabel("Goes to").selectOption(to);
  await settled(page);
}
const record = (page) => page.getByRole("button", { name: "Record the cut" }).last().click();

test("a turbot comes apart in four fillets, its frame goes to the pot", { tag: "@phone" }, async ({ page }) => {
  const card = await receive(page, { species: "Turbot", form: "gutted", count: 2, weight: 5.2, price: 22 });

  await test.step("from the bench in one tap; a part is tapped on the fish", async () => {
    await page.goto("/k/harbour/bench");
    const more = page.locator('a[href$="/bench?all=1"]'); // a full kitchen shows the first two dozen
    if (await more.isVisible()) await more.click();
    await page.locator(`a[href="${cutAddress(card)}"]`).click();
    await expect(page.getByRole("group", { name: /on the chopping board/ })).toBeVisible();
    await page.getByLabel("How many").fill("1");
    await page.getByLabel("Weight in").fill("2.6");
    await settled(page);
    await page.locator('a[data-press="add-fillet_skin_on"]').first().click();
    await expect(page.locator("#add-fillet_skin_on")).toHaveClass(/part-on/);
    const row = page.locator(".cut-row").first();
    await expect(row.getByLabel("Pieces")).toHaveAttribute("placeholder", "4");
    await row.getByLabel("Weight").fill("1.1");
    await row.getByLabel("Goes to").selectOption("service");
    await check(page);
  });

  await test.step("what the body does not have cannot be chosen; what is missing is asked about", async () => {
    await expect(page.locator("#add-wing")).toHaveCount(0);
    await weigh(page, "frame", { kg: 0.9, to: "stock_pot" });
    await record(page);
    await expect(page.getByText(/more are gone than drip explains/)).toBeVisible();
    await expect(page.locator(".cut-row").last().getByLabel("Weight")).toHaveValue("1.1");
    await weigh(page, "waste", { kg: 0.56 });
    await record(page);
    await page.waitForURL(/\/bench\/cuts\//);
  });

  await test.step("the tape is written, the cost a kilo is known, the yield stands beside what is usual", async () => {
    await expect(page.locator(".tape-line").first()).toContainText(/^TURBOT \w+-\d+ · cut .* · COOK to/);
    await expect(page.locator(".cut-lot").first()).toContainText("4 · 1.10 kg · ");
    await expect(page.locator(".cut-lot").first()).toContainText("€/kg");
    await expect(page.getByText(/^42\.3 %/)).toBeVisible();
    await check(page);
    await page.goto(card);
    await expect(head(page)).toContainText("1 × Gutted");
    await expect(head(page)).toContainText("2.60 kg");
    await expect(page.locator(".events")).toContainText("4 × fillet, skin on 1.10 kg");
  });

  await test.step("a weight that was misread is corrected, and the fillets follow", async () => {
    const entry = page.locator(".events li, .events tr", { hasText: "4 × fillet" }).first();
    const correct = await entry.getByRole("link", { name: /Correct/ }).getAttribute("href");
    await page.goto(correct);
    await page.getByLabel("Fillet, skin on: weight").fill("1.12");
    await page.getByLabel("Why was it wrong?").fill("the tray was on the scale");
    await page.getByRole("button", { name: "Save the correction" }).click();
    await expect(page).not.toHaveURL(/correct/);
    await page.locator('main a[href*="/bench/cuts/"]').first().click();
    await expect(page.locator(".cut-lot").first()).toContainText("4 · 1.12 kg");
  });
});

test("a salmon into portions with their cost, beaten by fillet at the price of the day", async ({ page }) => {
  const card = await receive(page, { species: "Atlantic salmon", form: "gutted", count: 1, weight: 4.5, price: 19, supplier: "Dunlin Fish Merchants", origin: "farmed" });

  await test.step("a price and a weight say whether whole or fillet is the better buy", async () => {
    await page.goto("/k/harbour/bench/compare?species=Atlantic+salmon&form=gutted&cut=fillet_skin_on&whole_kg=4.5&whole_price=19&fillet_price=38&fee=9");
    await expect(page.locator(".compare-answer")).toContainText("Buy whole: 55.3 % to break even"); // by hand: (19 · 4.5 + 9) / (38 · 4.5)
    await page.getByLabel("Price as fillet").fill("29");
    await expect(page.locator(".compare-answer")).toContainText("Buy fillet: 72.4 % to break even");
    await page.getByLabel("Price as fillet").fill("");
    await expect(page.locator(".compare-answer")).toHaveCount(0);
    await check(page);
  });

  await test.step("salmon frames make no clear stock: the gate says so beside the part, and nothing is lost", async () => {
    await page.goto(cutAddress(card));
    await page.getByLabel("Weight in").fill("4.5");
    await weigh(page, "fillet_skin_on", { kg: 2.8, to: "service" });
    await weigh(page, "frame", { to: "stock_pot" });
    await weigh(page, "waste", { kg: 0.5 });
    await record(page);
    await expect(page.getByText("frames of this species do not make clear stock")).toBeVisible();
    await page.reload();
    await expect(page.locator(".cut-row").last().getByLabel("Weight")).toHaveValue("2.8"); // kept on the device
    await page.locator(".cut-row", { hasText: "Frame" }).getByLabel("Goes to").selectOption("bin");
    await settled(page);
    await record(page);
    await page.waitForURL(/\/bench\/cuts\//);
  });

  await test.step("the fillets become portions of 170 g, and each has its price", async () => {
    await page.getByRole("link", { name: "Cut further" }).first().click();
    await page.getByLabel("How many").fill("2");
    await page.getByLabel("Weight in").fill("2.8");
    await weigh(page, "portion_skin_on", { kg: 2.76, count: 16, to: "service" });
    await expect(page.locator(".cut-foot")).toContainText(/€ a piece of 0.17 kg/);
    await record(page);
    await page.waitForURL(/\/bench\/cuts\//);
    await expect(page.locator(".cut-lot").first()).toContainText(/16 · 2\.76 kg · [\d.]+ €\/kg · [\d.]+ € each/);
  });
});

test("a bream is marked and cut in equal thirds", async ({ page }) => {
  const card = await receive(page, { species: "Sea bream", form: "gutted", count: 1, weight: 0.9 });
  await page.goto(cutAddress(card));
  await page.getByLabel("Weight in").fill("0.9");
  await page.getByText("Mark before you cut").click();
  await page.getByLabel(/Length on the board/).fill("260");
  await page.getByLabel("or equal pieces").fill("3");
  await settled(page);
  const pieces = page.locator(".marks li");
  await expect(pieces).toHaveCount(3);
  for (let i = 0; i < 3; i++) await expect(pieces.nth(i)).toContainText("300 g");
  const ends = await pieces.allInnerTexts();
  const cm = ends.map((t) => t.match(/from ([\d.]+) to ([\d.]+) cm/).slice(1).map(Number));
  expect(cm[2][1]).toBe(26);
  expect(cm[2][1] - cm[2][0]).toBeGreaterThan(cm[0][1] - cm[0][0]); // it tapers: the tail piece is the longest
  await expect(page.locator(".cut-line")).toHaveCount(2);
  // The first piece comes out heavy: what is left is marked anew, in halves.
  await page.getByLabel(/^The first piece weighs/).fill("330");
  await settled(page);
  await expect(pieces).toHaveCount(3);
  await expect(pieces.nth(0)).toContainText("330 g");
  for (const i of [1, 2]) await expect(pieces.nth(i)).toContainText("285 g");
  await expect(pieces.nth(1)).toContainText(`from ${cm[0][1].toFixed(1)} to`);
  await weigh(page, "steak", { kg: 0.89, count: 3, to: "service" });
  await record(page);
  await page.waitForURL(/\/bench\/cuts\//);
  await expect(page.locator(".cut-lot").first()).toContainText("3 · 0.89 kg");
});

test("an anglerfish tail is cut with its membrane off; the bench knows it, and its kitchen's yields", { tag: "@phone" }, async ({ page }) => {
  const card = await receive(page, { species: "Anglerfish", form: "tail", count: 2, weight: 3 });
  await page.goto(cutAddress(card));
  await page.getByLabel("How many").fill("2");
  await page.getByLabel("Weight in").fill("3");
  await page.getByText("Flesh, frame, minutes").click();
  await page.getByLabel("Membrane").selectOption("off");
  await weigh(page, "loin", { kg: 2.1, count: 4, to: "service" });
  await weigh(page, "frame", { kg: 0.6, to: "stock_pot" });
  await weigh(page, "skin", { kg: 0.25, count: 1, to: "bin" });
  await record(page);
  await page.waitForURL(/\/bench\/cuts\//);
  await page.goto("/k/harbour/bench");
  await expect(page.getByRole("region", { name: /Cut since yesterday/ })).toContainText("Anglerfish");
  const clean = page.getByRole("region", { name: "Clean-down" });
  await expect(clean).toContainText("Anglerfish");
  await clean.getByRole("button", { name: "Cleaned down" }).click();
  await expect(clean).not.toContainText("Anglerfish");
  await check(page);
  await page.goto("/k/harbour/bench/yields");
  await expect(page.getByRole("region", { name: "Haddock" })).toContainText("Dunja, 10");
  await expect(page.getByRole("region", { name: "Anglerfish" })).toContainText("too few to tell");
  await check(page);
});

test("a cure runs out of its time", { tag: "@phone" }, async ({ page, request }) => {
  const lot = await receiveAt(page, -6, { species: "Sea bass", form: "fillet_skinless", count: 6, weight: 0.9 });
  const { places } = await (await api(request, "GET", "/places")).json();
  await event(request, lot, "moved", -5.95, { place_id: places.find((p) => p.name === "Walk-in").id });

  await test.step("the dose is worked out from the weight, and nothing is chosen for one", async () => {
    await page.goto("/k/harbour/lots/" + lot);
    await openAct(page, "Prepare ahead");
    await expect(form(page).getByRole("radio", { name: /^Salted ahead 11 g of salt/ })).toBeVisible();
    await form(page).getByRole("button", { name: "Prepare ahead" }).click();
    await expect(form(page)).toContainText("say how it was prepared");
    await form(page).getByRole("radio", { name: /^Acid-cured/ }).check();
    await form(page).getByLabel(/^What went in/).fill("lime, celery");
    await form(page).getByRole("checkbox", { name: "celery" }).check();
    await form(page).getByLabel("When").fill(local(-5));
    await form(page).getByRole("button", { name: "Prepare ahead" }).click();
    await expect(page.locator(".events")).toContainText("Acid-cured, lime, celery, celery");
  });

  await test.step("five hours later it is raw no more, and the card says why", async () => {
    await expect(page.locator("main").first()).toContainText("Allergens beside the fish: celery");
    await expect(page.locator("main")).toContainText("acid-cured for 5 h, at most 4 h");
    await expect(page.locator(".tape-line").first()).toContainText("acid-cured");
    await openAct(page, "Take");
    await form(page).getByRole("radio", { name: "served raw" }).check();
    await form(page).getByRole("checkbox", { name: /^All that is left/ }).check();
    await form(page).getByRole("button", { name: "Take" }).click();
    await expect(form(page).getByRole("alert").first()).toBeVisible();
    await check(page);
  });
});

test("par-cooked fish is cooked through before anybody eats it, and its label says so", async ({ page }) => {
  const card = await receive(page, { species: "European hake", form: "fillet_skin_on", count: 4, weight: 1.2 });
  await page.goto(card);
  await openAct(page, "Par-cook");
  await expect(form(page)).toContainText(/20 mm \d+ min/);
  await form(page).getByLabel("The heating took").fill("70");
  await form(page).getByLabel("Core temperature then").fill("51");
  await form(page).getByRole("button", { name: "Par-cook" }).click();
  await expect(form(page)).toContainText("at most 60");
  await form(page).getByLabel("The heating took").fill("8");
  await form(page).getByRole("button", { name: "Par-cook" }).click();
  await expect(page.getByRole("heading", { name: "Par-cooked: cook it through" })).toBeVisible();
  await expect(page.locator(".tape-line").first()).toContainText("par-cooked");
  await openAct(page, "Take");
  await form(page).getByRole("radio", { name: "cooked", exact: true }).check();
  await form(page).getByLabel("Weight").fill("0.3");
  await form(page).getByRole("button", { name: "Take" }).click();
  await expect(form(page)).toContainText("give the core temperature to which it was cooked through");
  await form(page).getByLabel("Core temperature, cooked through").fill("58");
  await form(page).getByRole("button", { name: "Take" }).click();
  await expect(form(page)).toContainText("cook on to");
  await check(page);
  await form(page).getByLabel("Core temperature, cooked through").fill("66");
  await form(page).getByRole("button", { name: "Take" }).click();
  await expect(head(page)).toContainText("0.90 kg");
  await page.getByRole("link", { name: "Label", exact: true }).click();
  await expect(page.getByRole("img", { name: /COOK THROUGH BEFORE SERVING/ })).toBeVisible();
});

test("a cutting card takes a picture of our own, and says who knows it", async ({ page }) => {
  await page.goto("/k/harbour/bench/cards");
  await page.locator("main a[href*='/bench/cards/']").first().click();
  await page.getByText("Our own picture of a step").click();
  const photo = page.locator("form", { has: page.getByLabel("Picture") });
  await photo.getByLabel("Step").selectOption("1");
  await photo.getByRole("button", { name: "Save the picture" }).click();
  await expect(photo.getByRole("alert").first()).toBeVisible();
  await photo.getByLabel("Picture").setInputFiles({ name: "step.png", mimeType: "image/png", buffer: await page.screenshot() });
  await photo.getByRole("button", { name: "Save the picture" }).click();
  await expect(page.getByRole("img", { name: "Step 2, as it is done here" })).toBeVisible();
  await check(page);
  const who = page.locator("form", { has: page.getByLabel("Shown by") });
  await who.getByLabel("Who").selectOption("Cato");
  await who.getByLabel("Shown by").selectOption("Ansa");
  await who.getByRole("button", { name: "Record" }).click();
  await expect(page.getByRole("row", { name: /Cato.*Ansa.*not yet/s })).toBeVisible();
});
