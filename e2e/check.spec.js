import { Effort } from "./effort.js";
import { expect, test } from "./help.js";

// The demo's places that nothing logs are read at the check that is next.
const asked = (page) => page.locator(".check-now input:not([placeholder='by hand'])");

// The pad of a phone stands for keys: what is tapped on it is counted as keys.
async function onPad(page, effort, text) {
  for (const key of text) {
    effort.keys++;
    await page.locator(`.pad [data-pad="${key}"]`).tap();
  }
}

test("five temperatures: typed in walking order, signed once", { tag: "@phone" }, async ({ page }, info) => {
  const phone = info.project.name === "phone";
  const effort = await new Effort(page).start("/k/harbour/cold");
  await effort.tap(page.getByRole("link", { name: "Check", exact: true }));
  const again = page.getByRole("link", { name: "Check again" }); // signed in another journey
  await expect(again.or(page.locator("form.places-check"))).toBeVisible();
  if (await again.count()) await again.click(), (effort.loads = 1);
  const fields = asked(page);
  await expect(fields.first()).toBeVisible();
  const count = await fields.count();
  const beside = await page.locator(".check-now input[placeholder='by hand']").count();
  const values = Array.from({ length: count }, (_, i) => (1.1 + i / 10).toFixed(1));
  const names = await page.locator(".check-row", { has: fields }).locator("b").allInnerTexts();
  for (let i = 0, n = 0; i < count + beside; i++) {
    const field = page.locator(".check-now input").nth(i);
    await expect(field).toBeFocused();
    const text = (await field.getAttribute("placeholder")) === "by hand" ? "" : values[n++];
    const last = i === count + beside - 1;
    if (phone) {
      await onPad(page, effort, text);
      if (!text || last) await onPad(page, effort, ["next"]);
    } else {
      if (text) await effort.type(text);
      await effort.press("Enter");
    }
  }
  await expect(page.locator(".check-count, [role=status]").first()).toBeInViewport();
  if (await page.locator(".check-count").count()) await effort.tap(page.getByRole("button", { name: "Sign" }));
  await expect(page.getByRole("status").filter({ hasText: /^Signed/ })).toBeVisible();
  for (const [i, name] of names.entries()) await expect(page.locator(".check-thermos a", { has: page.getByText(name, { exact: true }) })).toContainText(`${values[i]} °C`);
  console.log(`      five temperatures, ${info.project.name}: ${effort}, ${count} places`);
  expect(effort.taps).toBeLessThanOrEqual(phone ? 4 : 2);
  expect(effort.keys).toBeLessThanOrEqual(4 * count + beside + (phone ? 0 : 1));
  expect(effort.swipes).toBe(0);

  // They are in the records of the place as what they are: read by hand.
  await page.locator(".check-thermos a", { hasText: names[0] }).click();
  await expect(page.locator("#by-hand")).toBeVisible();
  await expect(page.locator("#sums")).toContainText("By hand");
});

test("the count: all here, but two that are gone and one of which some is missing", { tag: "@phone" }, async ({ page }, info) => {
  const effort = await new Effort(page).start("/k/harbour/cold/check?count=1");
  const places = page.locator(".count-place");
  const all = await places.count();
  const gone = [];
  await effort.tap(page.getByLabel("All here in every place"));
  for (const place of [places.nth(0), places.nth(all - 1)]) {
    await effort.tap(place.locator("summary"));
    const lot = place.locator(".count-lots li").first();
    gone.push(await lot.locator(".code").innerText());
    await effort.tap(lot.getByLabel("Gone"));
  }
  await effort.tap(page.getByRole("button", { name: "Sign" }));
  await expect(page.locator("form.undo")).toContainText("Counted");
  console.log(`      a count of ${all} places, two lots missing, ${info.project.name}: ${effort}`);
  expect(effort.taps).toBeLessThanOrEqual(12);
  for (const code of gone) {
    await page.goto("/k/harbour/records?q=" + code);
    await page.locator("a", { hasText: code }).first().click();
    await expect(page.getByText("No longer on hand: not accounted for")).toBeVisible();
  }
});

test("what cannot be is said beside it, and nothing is lost", async ({ page }) => {
  await page.goto("/k/harbour/cold/check?count=1");
  const first = asked(page).first();
  await first.fill("31");
  await page.getByRole("button", { name: "Sign" }).click();
  await expect(page.locator(".check-row").first()).toContainText(/over the limit. Is it so\?/);
  await expect(first).toHaveValue("31");
  await first.fill("2,4");
  const place = page.locator(".count-place").first();
  await place.locator("summary").click();
  await place.locator('input[name^="less-"]').first().fill("4000");
  await page.getByRole("button", { name: "Sign" }).click();
  await expect(place).toContainText("is more than there was");
  await expect(first).toHaveValue(/2[,.]4/);
  await place.locator('input[name^="less-"]').first().fill("0.1");
  await page.getByRole("button", { name: "Sign" }).click();
  await expect(page.getByRole("status").filter({ hasText: /^Signed/ })).toBeVisible();
});
