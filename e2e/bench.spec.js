// What leaves a lot in parts.
import { check, expect, openAct, receive, test } from "./help.js";

const form = (page) => page.locator(".log-form[open]");
const head = (page) => page.locator("main").first();

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
    const row = page.locator("table", { hasText: "Species" }).getByRole("row", { name: /on the floor/ });
    await expect(row).toContainText("about 2.00 kg");
    await expect(row.getByRole("link")).toHaveAttribute("href", card);
    await expect(page.locator("section", { hasText: "By reason" }).getByRole("rowheader", { name: "dropped or spilled" })).toBeVisible();
    await check(page);
  });
});
