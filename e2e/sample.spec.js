import { Effort } from "./effort.js";
import { expect, receive, test } from "./help.js";

const scored = (page, n) => expect(page.locator("#look")).toContainText(new RegExp(`${n}/9 signs`));

test("one fish, nine signs: each in sight, recorded in a dozen taps", { tag: "@phone" }, async ({ page }, info) => {
  const phone = info.project.name === "phone";
  const card = await receive(page, { species: "Atlantic cod", form: "gutted", count: 1, weight: 3.1 });
  const effort = await new Effort(page).start(card + "/inspect");
  for (let n = 1; n <= 9; n++) {
    await expect(page.locator(".sign-now .sign-n")).toHaveText(new RegExp(`^${n}/`));
    if (phone) await effort.tap(page.locator(".sign-now .level").first());
    else await effort.press("1");
    await scored(page, n);
  }
  const record = page.getByRole("button", { name: "Record" });
  if (phone) {
    expect(await page.evaluate(() => document.documentElement.scrollHeight - innerHeight)).toBeLessThanOrEqual(0);
    await effort.tap(record);
  } else await effort.press("Enter");
  await expect(page).toHaveURL(new RegExp(card + "$"));
  console.log(`      one fish, nine signs, ${info.project.name}: ${effort}`);
  expect(effort.swipes).toBe(0);
  expect(effort.taps).toBeLessThanOrEqual(12);
});

test("a box of twelve: a quick look at five, and one of them sign by sign", { tag: "@phone" }, async ({ page }, info) => {
  const phone = info.project.name === "phone";
  const card = await receive(page, { species: "Haddock", form: "gutted", count: 12, weight: 14 });
  const effort = await new Effort(page).start(card + "/inspect");
  await expect(page.locator(".tab[aria-current]")).toHaveText("Quick look");
  const act = async (name, key) => (phone ? effort.tap(page.getByRole("button", { name })) : effort.press(key));
  for (let n = 1; n <= 5; n++) {
    await act(/^All good/, "g");
    await expect(page.locator(".box-dot")).toHaveCount(n);
  }
  await expect(page.locator("[value=index]")).toBeVisible();
  await act(/^Score one of them/, "i");
  await expect(page.locator(".tab[aria-current]")).toHaveText("Freshness score 0–20");
  await expect(page.locator(".box-say")).toContainText("taken without looking");
  for (let n = 1; n <= 9; n++) {
    await expect(page.locator(".sign-now .sign-n")).toHaveText(new RegExp(`^${n}/`));
    if (phone) await effort.tap(page.locator(".sign-now .level").first());
    else await effort.press("1");
    await scored(page, n);
  }
  await act(/^Record/, "Enter");
  await expect(page).toHaveURL(new RegExp(card + "$"));
  await expect(page.locator(".event", { hasText: "Inspected" })).toContainText("5 looked at quickly");
  console.log(`      a box of 12, sampled, ${info.project.name}: ${effort}`);
  expect(effort.keys).toBeLessThanOrEqual(20);
  expect(effort.swipes).toBe(0);
});

test("a doubtful fish in the sample is scored too, and the verdict names it; what was not looked at is asked about once", async ({ page }) => {
  const card = await receive(page, { species: "Haddock", form: "gutted", count: 12, weight: 14 });
  await page.goto(card + "/inspect");
  for (let n = 1; n <= 4; n++) {
    await page.keyboard.press("g");
    await expect(page.locator(".box-dot")).toHaveCount(n);
  }
  await page.keyboard.press("7"); // no such level
  await expect(page.locator("[data-says]")).toHaveText("7 is no level here: 1 to 3.");
  for (const [i, level] of ["2", "2", "1", "1", "1"].entries()) {
    await page.keyboard.press(level);
    await expect(page.locator("#look")).toContainText(`${i + 1}/5 signs`);
  }
  await expect(page.locator(".verdict")).toContainText(/the worst of 5 fish is fish 5/);
  await page.keyboard.press("i");
  await expect(page.locator(".box-say")).toContainText("Fish 1 of 2");
  for (let n = 1; n <= 9; n++) {
    await page.keyboard.press("1");
    await scored(page, n);
  }
  await page.keyboard.press("n");
  await expect(page.locator(".box-say")).toContainText("fish 5 of the quick look, the worst: it decides");
  for (let n = 1; n <= 6; n++) {
    await page.keyboard.press("2");
    await scored(page, n);
  }
  await page.keyboard.press("Enter");
  await expect(page.locator(".inspect")).toContainText(/Nobody looked at: .*Look now, or record without/);
  await page.getByRole("button", { name: /^Record/ }).click();
  await expect(page).toHaveURL(new RegExp(card + "$"));
});
