// Every form of fish, every school, and whether the papers are true.
import { choose, event, expect, fillLine, local, openAct, receive, takeShift, test } from "./help.js";

const onPhone = (info) => info.project.name === "phone";
const record = (page) => page.getByRole("button", { name: /^Record Enter|^Record$/ }).click();
const reasons = (page) => page.locator(".verdict ul");

test("a flatfish, gutted with its gills out: one eye was burnt by ice", { tag: "@phone" }, async ({ page }, info) => {
  const card = await receive(page, { species: "Plaice", form: "gutted_gills_out", count: 1, weight: 0.6, caught: 48 });
  await page.goto(card + "/inspect");
  await expect(page.locator(".sign-n").first()).toContainText("1/7"); // the gills are out
  await choose(page, [1, 1, 0, 1, 1, 1, 0], onPhone(info));
  await expect(page.locator("#index")).toHaveText("6.2"); // 5 of 16, of 20: 6.25
  const drawn = await page.locator(".fish").innerHTML();
  await page.locator(".idea", { hasText: "One eye burnt by ice" }).click();
  await expect(page.locator("#index")).toHaveText("4.6"); // 3 of 13, of 20: the eye tells nothing
  expect(await page.locator(".fish").innerHTML()).not.toBe(drawn);
  await record(page);
  await expect(page.locator(".events")).toContainText("one eye burnt by ice");
});

test("an anglerfish tail, soft because spent, is accepted with a downgrade", async ({ page }, info) => {
  const card = await receive(page, { species: "Anglerfish", form: "tail", count: 1, weight: 1.4, caught: 30 });
  await page.goto(card + "/inspect");
  await expect(page.locator(".tab[aria-current]")).toHaveText("Grade letters, white fish");
  await choose(page, [0, 0, 0, 0, 3, 0], onPhone(info));
  await expect(page.locator("#verdict")).toHaveText("Refuse");
  await page.locator(".idea", { hasText: "Spent after spawning" }).click();
  await expect(page.locator("#verdict")).toHaveText("Accept, cook only");
  await expect(reasons(page)).toContainText("soft because spent");
  await record(page);
  await expect(page.locator(".events")).toContainText("Extra");
  await expect(page.locator(".events")).toContainText("Accept, cook only");
});

test("papers that cannot be true", { tag: "@phone" }, async ({ page }, info) => {
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Dunlin Fish Merchants");
  await fillLine(page, 0, { species: "Haddock", form: "gutted", count: 1, weight: 1.6, core: 0.8, ice: "well_iced", caught: -20 });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByText("lies after the delivery")).toBeVisible();
  await expect(page.locator('[name="line-0-weight_kg"]')).toHaveValue("1.6");
  await fillLine(page, 0, { caught: 6 });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Inspect", exact: true }).click();
  await choose(page, [1, 1, 1, 1, 1, 1, 1, 1, 1], onPhone(info)); // index 9, seven days: caught this morning it was not
  await expect(page.locator("#verdict")).toHaveText("Hold");
  await expect(reasons(page)).toContainText("the fish is older than its papers say");
  await record(page);
  await expect(page.locator(".notice").first()).toContainText("is older than its papers say");
  await expect(page.getByText("papers and fish disagree: the older, plus one standard deviation")).toBeVisible();
});

test("a tuna loin is refused on its bloodline", async ({ page }, info) => {
  const card = await receive(page, { species: "Yellowfin tuna", form: "loin", count: 1, weight: 3.1, caught: 100 });
  await page.goto(card + "/inspect");
  await expect(page.locator(".tab[aria-current]")).toHaveText("Cut face");
  const fresh = await page.locator(".fish").innerHTML();
  await choose(page, [1, 2, 0, 0, 0, 0, 0], onPhone(info));
  expect(await page.locator(".fish").innerHTML()).not.toBe(fresh);
  await expect(page.locator("#verdict")).toHaveText("Refuse");
  await expect(reasons(page)).toContainText("dark muscle brown to grey");
  await record(page);
  await expect(page.locator(".notice").first()).toContainText("No longer on hand: refused");
});

test("a frozen pack with refrozen drip is held, and only a manager releases it", { tag: "@phone" }, async ({ page }, info) => {
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Dunlin Fish Merchants");
  await fillLine(page, 0, { species: "Atlantic salmon", form: "fillet_skin_on", count: 1, weight: 1.2, core: -21, ice: "none" });
  await page.locator('[name="line-0-frozen"]').check();
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Inspect", exact: true }).click();
  await expect(page.locator(".tab[aria-current]")).toHaveText("Frozen pack");
  await choose(page, [0, 0, 1, 2, 0], onPhone(info));
  await expect(page.locator("#verdict")).toHaveText("Hold");
  await expect(page.locator(".ruler")).toHaveCount(0); // frozen fish tells no age
  await record(page);
  await expect(page.locator(".events")).toBeVisible();
  const card = page.url();
  await takeShift(page, "Cato");
  await page.goto(card);
  await openAct(page, "Release");
  await page.locator(".log-form[open] [name=reason]").fill("looks fine to me");
  await page.locator(".log-form[open] button").click();
  await expect(page.getByText("only a manager releases it")).toBeVisible();
  await takeShift(page, "Ansa");
  await page.goto(card);
  await openAct(page, "Release");
  await page.locator(".log-form[open] [name=reason]").fill("the supplier's logger shows −20 all the way");
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("Released");
});

test("a box of 24: one sour fish opens it, and it is parted", async ({ page }, info) => {
  const card = await receive(page, { species: "Atlantic cod", form: "whole", count: 24, weight: 36, caught: 24 });
  await page.goto(card + "/inspect?scheme=quick");
  await expect(page.locator(".box-say")).toContainText("Fish 1 of 6 from a box of 24");
  const began = Date.now();
  for (let n = 1; n <= 24; n++) {
    const smell = n === 4 || n === 17 || n === 18 ? "3" : "1";
    for (const key of ["1", n % 3 ? "1" : "2", smell, "1", "1"]) await page.keyboard.press(key);
    await expect(page.locator("#look")).toContainText("5/5 signs");
    if (n === 4) await expect(page.locator("#aside")).toContainText("A hard stop opens the whole box");
    if (n === 5) await expect(page.locator(".box-say")).toContainText("of 24");
    if (n < 24) {
      await page.keyboard.press("n");
      await expect(page.locator(".box-say")).toContainText(`Fish ${n + 1} of`);
    }
  }
  expect((Date.now() - began) / 24).toBeLessThan(10_000); // a rhythm of under ten seconds each leaves the person time
  await expect(page.locator(".box-dot.dot-refuse")).toHaveCount(3);
  await expect(page.locator("#verdict")).toHaveText("Refuse");
  await page.getByRole("button", { name: "Fish 4:" }).click(); // back to one of them
  await expect(page.locator(".box-say")).toContainText("Fish 4 of");
  await expect(page.locator('[name="sign-smell"][value="2"]')).toBeChecked();
  await page.getByRole("button", { name: "Save and split the box" }).click();
  await expect(page.locator('[name="part-0-count"]')).toHaveValue("21");
  await expect(page.locator('[name="part-1-count"]')).toHaveValue("3");
  await page.locator('[name="part-1-weight_kg"]').fill("9");
  await page.getByRole("button", { name: "Split the lot" }).click();
  await expect(page.locator(".log-form[open]")).toContainText("more than 2 % apart");
  await page.locator('[name="part-1-weight_kg"]').fill("4.5");
  await page.getByRole("button", { name: "Split the lot" }).click();
  await expect(page.getByText("Its fish were split into")).toContainText("(refused)");
  await page.locator(".notice a").first().click();
  await expect(page.locator(".head")).toContainText("21 × Whole");
  await expect(page.getByText("it has that lot's clocks")).toBeVisible();
  await expect(page.locator(".events")).toContainText("21 fish, 31.5 kg of");
  await expect(page.locator(".head-uses .chip", { hasText: "cook" })).not.toHaveClass(/chip-no/);
});

test("fish that reads four days older than its papers, and what the supplier's page then says", async ({ page, request }, info) => {
  const name = `Tern Quay ${info.project.name}${info.retry}`;
  const levels = { eye_clarity: 1, eye_shape: 1, gill_colour: 0, gill_smell: 1, blood_spots: 1, skin: 1, stiffness: 2, belly: 0, smell: 1 }; // index 8: six days in the mean
  let card;
  for (let n = 0; n < 8; n++) {
    card = await receive(page, { species: "European hake", form: "gutted", count: 1, weight: 2.2, core: 0.9, supplier: name });
    if (n > 0 && n < 7) {
      await event(request, card.split("/").pop(), "inspected", 0, { scheme: "demerit20", fish: [levels], decision: "accept_cook", reason: "price taken down" });
      continue;
    }
    await page.goto(card + "/inspect");
    await choose(page, Object.values(levels), onPhone(info));
    if (n === 0) {
      await expect(page.locator(".ruler")).toContainText("papers say 1.8");
      await expect(page.locator(".ruler")).toContainText("fish says 5.5");
    }
    await page.getByLabel("Decision").selectOption("accept_cook");
    await page.getByLabel(/^Reason/).fill("price taken down");
    await record(page);
    await page.getByRole("link", { name }).click();
    const hake = n === 0 ? page.locator("main") : page.getByRole("region", { name: "European hake" });
    await expect(hake).toContainText(n === 0 ? "Too few to tell: European hake (1)" : "older than its papers, on average");
    if (n === 7) await expect(hake).toContainText("+3.7 fresh days on average");
  }
  await page.goto(card);
});

test("ordered as a picture, checked on the same picture, claimed with a photo", { tag: "@phone" }, async ({ page, request }, info) => {
  const supplier = `Auk Wharf ${info.project.name}${info.retry}`;
  await page.goto("/k/harbour/deliveries/order");
  await page.locator("#species").fill("Sea bream");
  await page.locator("#count").fill("6");
  for (const part of ["scales", "gills"]) await page.locator(`a[data-trim="${part}"]`).click();
  await expect(page.locator('[name="trim-scales"]')).toBeChecked();
  await page.locator("#supplier").fill(supplier);
  await page.getByRole("button", { name: "Place the order" }).click();
  await expect(page).toHaveURL(/deliveries$/);
  await page.locator("a.card-row", { hasText: supplier }).first().click();
  await expect(page.locator('[name="line-0-species"]')).toHaveValue(/bream/i);
  await fillLine(page, 0, { weight: 3.2, core: 1, ice: "well_iced" });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  await openAct(page, "Check the delivery");
  await expect(page.locator('.check-form [name="trim-scales"]')).toBeChecked();
  await page.locator('.check-form a[data-trim="scales"]').click();
  await expect(page.locator('.check-form [name="wrong-scales"]')).toBeChecked();
  await page.locator("#checked-rework_minutes").fill("a lot");
  await page.getByRole("button", { name: "Record the check" }).click();
  await expect(page.getByText("is not a number")).toBeVisible();
  await expect(page.locator('.check-form [name="wrong-scales"]')).toBeChecked();
  await page.locator("#checked-rework_minutes").fill("15");
  await page.getByRole("button", { name: "Record the check" }).click();
  await expect(page.locator(".events")).toContainText("Scales still on; 15 min of rework, 6.50");

  await page.locator("#photographed-photo").setInputFiles({ name: "bream.jpg", mimeType: "image/jpeg", buffer: Buffer.from("<svg onload=alert(1)>") });
  await page.getByRole("button", { name: "Add the photo" }).click();
  await expect(page.getByText("is not a JPEG, PNG or WebP picture")).toBeVisible();
  const picture = await page.screenshot({ clip: { x: 0, y: 0, width: 300, height: 200 } });
  await page.locator("#photographed-caption").fill("scales at the tail");
  await page.locator("#photographed-photo").setInputFiles({ name: "bream.png", mimeType: "image/png", buffer: picture });
  await page.getByRole("button", { name: "Add the photo" }).click();
  const img = page.locator(".photo img");
  await expect(img).toHaveCount(1);
  expect(await img.evaluate((i) => i.decode().then(() => i.naturalWidth))).toBeGreaterThan(100);

  await page.locator("summary", { hasText: "Complain" }).click();
  await expect(page.locator("#claimed-reasons")).toHaveValue(/ordered off, still on: Scales/);
  await page.locator("#claimed-weight_kg").fill("99");
  await page.locator("#claimed-asks").selectOption("rework");
  await page.getByRole("button", { name: "Save the complaint" }).click();
  await expect(page.getByText("at most what was delivered")).toBeVisible();
  await expect(page.locator("#claimed-asks")).toHaveValue("rework");
  await page.locator("#claimed-weight_kg").fill("3.2");
  await page.getByRole("button", { name: "Save the complaint" }).click();
  const pdf = await request.get(await page.getByRole("link", { name: "PDF to send" }).getAttribute("href"));
  expect(pdf.headers()["content-type"]).toBe("application/pdf");
  expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");
});

test("a kitchen makes its own scheme and inspects by it", async ({ page }, info) => {
  await page.goto("/k/harbour/schemes");
  await page.getByLabel("Copy of").selectOption("demerit20");
  await page.getByRole("button", { name: "Copy it" }).click();
  await expect(page.getByText("give it a name")).toBeVisible();
  await page.getByLabel("Its name").fill("Our short look");
  await page.getByRole("button", { name: "Copy it" }).click();
  await expect(page.getByRole("heading", { name: "Our short look" })).toBeVisible();
  await page.locator("summary", { hasText: "Blood on the gill cover" }).click();
  await page.getByLabel("Leave this sign out").nth(4).check();
  await page.getByLabel("Fewest signs").fill("99");
  await page.getByRole("button", { name: /^Save as version/ }).click();
  await expect(page.getByText("the fewest signs must be between 1 and 8")).toBeVisible();
  await page.getByLabel("Fewest signs").fill("4");
  await page.getByRole("button", { name: /^Save as version/ }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  const card = await receive(page, { species: "Atlantic cod" });
  await page.goto(card + "/inspect");
  await page.getByRole("link", { name: "Our short look" }).click();
  await expect(page.locator(".sign-n").first()).toContainText("1/8");
  await choose(page, [0, 0, 0, 0, 0, 1, 0, 0], false);
  await expect(page.locator(".verdict")).toContainText("Our short look, version 2");
  await record(page);
  await expect(page.locator(".events")).toContainText("the fish says");
});

test("what no scheme scores: many parasites stop a perfect fish, and only a manager lets it in", async ({ page }, info) => {
  const card = await receive(page, { species: "European hake", form: "gutted", count: 1, weight: 2.1 });
  await takeShift(page, "Cato");
  await page.goto(card + "/inspect?scheme=quick");
  await choose(page, [0, 0, 0, 0, 0], false);
  await expect(page.locator("#verdict")).toHaveText("Accept");
  await page.locator("summary", { hasText: "Something else" }).click();
  await page.locator(".idea", { hasText: "Many parasites" }).click();
  await expect(page.locator("#verdict")).toHaveText("Refuse");
  await expect(reasons(page)).toContainText("obvious heavy parasite infestation");
  await expect(page.locator(".found-also").last()).toHaveAttribute("open", ""); // it stays open for the next
  await page.getByLabel("Decision").selectOption("accept_cook");
  await page.getByLabel(/^Reason/).fill("only in the flaps");
  await record(page);
  await expect(page.getByText("a hard stop is overridden only by a manager")).toBeVisible();
  await expect(page.locator('input[type=hidden][name="found"][value="parasites_heavy"]')).toBeAttached(); // it waits for a manager's word
  await takeShift(page, "Ansa");
  await page.goto(card + "/inspect?scheme=quick");
  await expect(page.getByText("is back.")).toBeVisible(); // what Cato saw is kept on this device
  await page.getByRole("button", { name: "Start over" }).click();
  await expect(page.getByText("is back.")).toHaveCount(0);
  await choose(page, [0, 0, 0, 0, 0], false);
  await page.locator("summary", { hasText: "Something else" }).click();
  await page.locator(".idea", { hasText: "A few parasites" }).click();
  await expect(page.locator("#verdict")).toHaveText("Accept, cook only");
  await record(page);
  await expect(page.locator(".events")).toContainText("a few parasites");
});

test("the senses in the order of the person", async ({ page }, info) => {
  await takeShift(page, "Dunja");
  await page.goto("/k/harbour/shift");
  await page.locator("label", { hasText: "Smell first" }).click();
  await page.getByRole("button", { name: "Save" }).click();
  const card = await receive(page, { species: "Atlantic cod" });
  await page.goto(card + "/inspect");
  await expect(page.locator(".sign-now legend")).toContainText("Gills, smell");
  await choose(page, [0, 0], false);
  await expect(page.locator(".sign-now legend")).toContainText("Eye, clarity");
  await takeShift(page, "Ansa");
});
