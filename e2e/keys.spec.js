// Three journeys by keys alone: not one of them touches the mouse.
import { expect, local, test } from "./help.js";

const key = (page, ...keys) => keys.reduce((before, k) => before.then(() => page.keyboard.press(k)), Promise.resolve());

// to walks with Tab to what it looks for, or back to it with another key.
async function to(page, target, step = "Tab") {
  for (let i = 0; i < 150; i++) {
    if (await target.evaluate((e) => e === document.activeElement).catch(() => false)) return;
    await page.keyboard.press(step);
  }
  throw new Error("Tab does not lead there");
}
const field = (page, name) => page.locator(`[name="${name}"]`);
async function type(page, name, text) {
  await to(page, field(page, name));
  await page.keyboard.type(text);
}
async function pick(page, name, letters) {
  await to(page, field(page, name));
  await page.keyboard.type(letters); // a select goes to what begins so
}
// radio walks to a group and on to the one that is wanted.
async function radio(page, name, value) {
  const one = page.locator(`[name="${name}"][value="${value}"]`);
  for (let i = 0; i < 120; i++) {
    if ((await page.evaluate(() => document.activeElement.name)) === name) break;
    await page.keyboard.press("Tab");
  }
  for (let i = 0; i < 8 && !(await one.isChecked()); i++) await page.keyboard.press(i ? "ArrowRight" : "Space");
  await expect(one).toBeChecked();
}

test("by keys: a delivery is received, inspected, accepted and moved", async ({ page }) => {
  await page.goto("/k/harbour/board");
  await key(page, "r");
  await page.waitForURL(/receive$/);
  await expect(page.getByLabel("Supplier", { exact: true })).toBeFocused();
  await page.keyboard.type("Fulmar Landing");
  await pick(page, "all-place_id", "Walk");
  await radio(page, "all-ice", "well_iced");
  await pick(page, "all-claim.means", "caught");
  await to(page, field(page, "all-label-day"));
  const [, month, day] = local(-20).split("T")[0].split("-");
  await page.keyboard.type(month + day + local(-20).slice(0, 4)); // in the order of the browser
  await type(page, "line-0-species", "whiti");
  await expect(page.locator(".found-item").first()).toBeVisible();
  await key(page, "Enter"); // several fish are called so: the one that is bought here stands first
  await key(page, "Enter"); // takes it, and goes on
  await pick(page, "line-0-form", "Gutted");
  await type(page, "line-0-count", "3");
  await type(page, "line-0-weight_kg", "1,9");
  await type(page, "line-0-core_celsius", "0,8");
  await to(page, page.getByRole("button", { name: "Receive 1 lot" }));
  await key(page, "Enter");
  await page.waitForURL(/deliveries\/[0-9a-f-]{36}/);
  await to(page, page.getByRole("link", { name: /^Inspect/ }).first());
  await key(page, "Enter");
  await page.waitForURL(/inspect/);
  const signs = await page.locator(".sign").count();
  for (let i = 0; i < signs; i++) {
    await expect(page.locator(".sign-now .sign-n")).toHaveText(new RegExp(`^${i + 1}/`));
    await key(page, "1");
    await expect(page.locator("#look")).toContainText(new RegExp(`${i + 1}/\\d+ signs`));
  }
  await page.evaluate(() => document.activeElement.blur());
  await key(page, "Enter");
  await page.waitForURL(/lots\/[0-9a-f-]{36}$/);
  await to(page, page.locator("summary", { hasText: "Move" }).first());
  await key(page, "Enter");
  await radio(page, "place_id", await page.locator(".log-form[open] label", { hasText: "Fish drawer" }).locator("input").getAttribute("value"));
  await key(page, "Enter");
  await expect(page.locator(".events")).toContainText("to Fish drawer");
});

test("by keys: a lot is found, held for a reason, and the act undone", async ({ page }) => {
  await page.goto("/k/harbour/board");
  const code = await page.locator(".lot-row").nth(2).locator(".code").innerText();
  await key(page, "/");
  await page.keyboard.type(code.toLowerCase());
  await expect(page.locator("#found a")).toHaveCount(1);
  await key(page, "Enter");
  await expect(page.locator("h1")).toContainText(code);
  await to(page, page.locator("summary", { hasText: "Hold" }).first());
  await key(page, "Enter");
  await expect(page.locator("#held-reason")).toBeFocused();
  await page.keyboard.type("label is torn");
  await key(page, "Enter");
  const held = page.getByRole("heading", { name: "On hold: label is torn" });
  await expect(held).toBeVisible();
  await to(page, page.getByRole("button", { name: "Undo" }));
  await key(page, "Enter");
  await expect(held).toHaveCount(0);
  await key(page, "Escape");
});

test("by keys: a place is read, misread, and put right", async ({ page }) => {
  await page.goto("/k/harbour/board");
  await key(page, "3");
  await page.waitForURL(/cold$/);
  const shelf = page.locator(".places > li", { has: page.getByRole("heading", { name: "Thaw shelf" }) });
  await to(page, shelf.getByLabel(/^By hand/));
  await page.keyboard.type("3,1");
  await key(page, "Enter");
  await expect(shelf.getByLabel(/^By hand/)).toHaveValue("");
  await expect(shelf.locator(".place-now")).toContainText("3.1 °C");
  await to(page, shelf.getByRole("link", { name: "Thaw shelf", exact: true }), "Shift+Tab");
  await key(page, "Enter");
  await page.waitForURL(/places\/\d+$/);
  await to(page, page.locator(".hand-rows summary").first());
  await key(page, "Enter");
  await expect(page.getByLabel(/^It said/).first()).toBeFocused();
  await key(page, "Control+a");
  await page.keyboard.type("1.3");
  await to(page, page.getByLabel("Why was it wrong?").first());
  await page.keyboard.type("read upside down");
  await key(page, "Enter");
  await expect(page.locator(".hand-rows li").first()).toContainText("3.1 °C read upside down");
  await expect(page.locator(".hand-rows li b").first()).toHaveText("1.3 °C");
  await key(page, "Escape", "Escape");
  await expect(page).toHaveURL(/cold$/);
});
