// Forms keep their word: nothing that was typed is lost, nothing fails silently, and what
// is sent is what is seen.
import { expect, fillLine, openAct, receive, settled, test } from "./help.js";

const place = (page, name) => page.locator(".places > li", { has: page.getByRole("heading", { name }) });
const supplier = (page) => page.getByLabel("Supplier", { exact: true });

test("without a connection the form says so, keeps all, and goes through when there is one", { tag: "@phone" }, async ({ page, context }) => {
  await page.goto("/k/harbour/deliveries/receive");
  await supplier(page).fill("Fulmar Landing");
  await fillLine(page, 0, { species: "European whiting", form: "gutted", count: 3, weight: "1.9 kg", core: "0,6", ice: "well_iced", caught: 20 });
  await context.setOffline(true);
  await page.locator('[name="line-0-species"]').pressSequentially("g"); // nothing is found, and the page says why
  await expect(page.getByText("There is no connection: type the whole name.")).toBeVisible();
  await page.locator('[name="line-0-species"]').fill("European whiting");
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByRole("alert")).toContainText("There is no connection. What you typed stays here");
  await expect(page.locator('[name="line-0-weight_kg"]')).toHaveValue("1.9 kg");
  await context.setOffline(false);
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page).toHaveURL(/deliveries\/[0-9a-f-]{36}/);
  await page.goto("/k/harbour/deliveries/receive"); // what was taken is no draft any more
  await expect(supplier(page)).toHaveValue("");
  await expect(page.getByText("is back.")).toHaveCount(0);
});

test("what is typed survives a reload, a stray tap and a closed tab, until somebody starts over", async ({ page, context }) => {
  const address = "/k/harbour/deliveries/receive";
  await page.goto(address);
  await supplier(page).fill("Skua Day-boat");
  await page.getByRole("button", { name: "Add a line" }).click();
  await fillLine(page, 1, { species: "Saithe", count: 2, weight: 6.1, place: null });
  await page.waitForTimeout(250); // a draft is kept a moment after the last key
  await page.reload();
  await expect(page.getByText("What you typed here")).toBeVisible();
  await expect(supplier(page)).toHaveValue("Skua Day-boat");
  await expect(page.locator('[name="line-1-weight_kg"]')).toHaveValue("6.1");

  await page.getByRole("link", { name: "Board", exact: true }).click(); // a stray tap
  await page.getByRole("dialog").getByRole("button", { name: "Stay" }).click();
  await expect(page).toHaveURL(/receive$/);
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.getByRole("dialog").getByRole("button", { name: "Leave" }).click();
  await expect(page).toHaveURL(/deliveries$/);
  await page.close();
  const again = await context.newPage();
  await again.goto(address);
  await expect(again.locator('[name="line-1-weight_kg"]')).toHaveValue("6.1");
  await again.getByRole("button", { name: "Start over" }).click();
  await expect(again.getByText("What you typed here")).toHaveCount(0);
  await expect(supplier(again)).toHaveValue("");
});

test("Enter sends a delivery and neither adds a line nor takes one away", async ({ page }) => {
  await page.goto("/k/harbour/deliveries/receive");
  await supplier(page).fill("Fulmar Landing");
  await fillLine(page, 0, { species: "Plaice", form: "gutted", count: 2, weight: 1.1, core: 0.5, ice: "well_iced" });
  await page.getByRole("button", { name: "Add a line" }).click();
  await expect(page.locator("fieldset.line")).toHaveCount(2);
  await fillLine(page, 1, { species: "Dover sole", form: "gutted", count: 2, weight: 0.9, core: 0.5, ice: "well_iced" });
  await page.locator('[name="line-1-weight_kg"]').press("Enter");
  await expect(page).toHaveURL(/deliveries\/[0-9a-f-]{36}/);
  await expect(page.locator(".code-big")).toHaveCount(2);
});

test("logging one place leaves what is typed at another", async ({ page }) => {
  await page.goto("/k/harbour/cold");
  const field = (name) => place(page, name).getByLabel(/^By hand/);
  await field("Fish drawer").fill("0.9");
  await field("Thaw shelf").fill("1.4");
  await place(page, "Fish drawer").getByRole("button", { name: "Log temperature" }).click();
  await expect(field("Fish drawer")).toHaveValue("");
  await expect(field("Thaw shelf")).toHaveValue("1.4");
});

test("half a date is an error beside its field, and nothing is sent", async ({ page }) => {
  await page.goto(await receive(page, { species: "European hake", form: "gutted" }));
  const sent = [];
  page.on("request", (r) => r.method() === "POST" && sent.push(r.url()));
  await openAct(page, "Hold");
  const form = page.locator(".log-form[open]");
  await form.getByLabel("Reason").fill("label is torn");
  await form.getByLabel("When").focus();
  await page.keyboard.type("11282026"); // a day and no hour
  await form.getByRole("button", { name: "Hold" }).click();
  await expect(form.locator(".error")).toContainText("Give the day and the hour");
  expect(sent).toEqual([]);
});

test("a forecast follows its fields, and a change made at the last moment is shown before it counts", async ({ page }) => {
  const card = await receive(page, { species: "Atlantic cod", form: "fillet_skin_on", count: 6, weight: 1.2, caught: 20 });
  await page.goto("/k/harbour/cold/freezer/freeze?lot=" + card.split("/").pop());
  await page.getByLabel("Around the fish").selectOption("bare");
  await settled(page);
  await page.getByLabel(/^Thickest/).fill("22");
  await settled(page);
  await expect(page.locator(".batch-figures")).toContainText("22 mm");
  await page.route("**/freezer/freeze", (route) => setTimeout(() => route.continue(), 600)); // a slow network
  await page.getByLabel(/^Thickest/).fill("31");
  await page.getByRole("button", { name: /^Freeze 1.20 kg/ }).click(); // before the forecast of 31 mm is there
  await expect(page.getByText("Something changed since")).toBeVisible();
  await expect(page.locator(".batch-figures")).toContainText("31 mm");
  await page.getByRole("button", { name: /^Freeze 1.20 kg/ }).click();
  await expect(page).toHaveURL(/batches\//);
  await expect(page.locator(".batch-figures")).toContainText("31 mm");
});

test("the last act is undone with one tap", { tag: "@phone" }, async ({ page }) => {
  await page.goto(await receive(page, { species: "Haddock", form: "gutted" }));
  await openAct(page, "Move");
  await page.locator(".log-form[open] label", { hasText: "Walk-in" }).click();
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("to Walk-in");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator(".event-void", { hasText: "to Walk-in" })).toContainText("undone at once");
  await expect(page.getByRole("button", { name: "Undo" })).toHaveCount(0);
});

test("an unusual value is asked about once", async ({ page }) => {
  await page.goto("/k/harbour/cold");
  const drawer = place(page, "Fish drawer");
  await drawer.getByLabel(/^By hand/).fill("14");
  await drawer.getByRole("button", { name: "Log temperature" }).click();
  await expect(drawer.locator(".error").first()).toContainText("over the limit. Is it so?");
  const news = page.waitForResponse((r) => r.request().headers()["hx-request"] && r.url().endsWith("/cold"));
  await page.evaluate(() => htmx.trigger(document.querySelector(".live-ice"), "live:changed"));
  await news; // what refreshes by itself asks for the page in which the form stands
  await expect(drawer.locator(".error").first()).toBeVisible();
  await drawer.getByLabel("Yes, 14 is right").check();
  await drawer.getByRole("button", { name: "Log temperature" }).click();
  await expect(drawer.locator(".error")).toHaveCount(0);
  await expect(drawer.getByLabel(/^By hand/)).toHaveValue("");
});

test("a span without readings is a page like another", async ({ page }) => {
  const errors = [];
  page.on("pageerror", (e) => errors.push(e.message));
  await page.goto("/k/harbour/cold");
  await page.locator(".place h2 a", { hasText: "Walk-in" }).click();
  await page.goto(page.url() + "?from=2020-01-01T00:00&to=2020-01-02T00:00");
  await expect(page.getByText("Nothing was measured in this span.")).toBeVisible();
  await expect(page.locator("#chart")).toBeVisible();
  await page.waitForTimeout(300);
  expect(errors).toEqual([]);
});

test("content begins under the strip and one line of alarms, whatever happens", { tag: "@phone" }, async ({ page }, info) => {
  for (const at of ["board", "deliveries", "cold", "bench", "service", "records"]) {
    await page.goto("/k/harbour/" + at);
    const y = await page.locator("#main > *").first().evaluate((e) => e.getBoundingClientRect().top);
    expect(y, at).toBeLessThanOrEqual(info.project.name === "phone" ? 114 : 104);
  }
  await page.goto("/k/harbour/deliveries/receive"); // in a form the alarms are a sign in the strip
  expect(await page.locator("#main > *").first().evaluate((e) => e.getBoundingClientRect().top)).toBeLessThanOrEqual(64);
  await expect(page.locator(".alarm-sign")).toBeVisible();
});
