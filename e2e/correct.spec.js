// An entry that was typed wrong is put right where it stands: nothing typed is lost, what it
// said stays beside what it says, and a manager's entry asks for the manager.
import { check, event, expect, openAct, receiveAt, test } from "./help.js";

test("a weight and a core that were typed wrong are put right", { tag: "@phone" }, async ({ page, request }, info) => {
  const id = await receiveAt(page, -3, { weight: 32, core: 0.6 });
  await event(request, id, "temperature", -1, { celsius: 11.2 });
  const card = "/k/harbour/lots/" + id;
  await page.goto(card);
  const correct = (kind) => page.locator(".event", { has: page.locator("b", { hasText: kind }) }).first().getByRole("link", { name: "Correct" }).click();
  await correct("Received");
  await expect(page.locator("[name='data.species']")).toHaveValue("Atlantic cod");
  await page.locator("[name='data.weight_kg']").fill("3.2");
  await page.locator("[name='data.supplier_lot']").fill("F-2126");
  await page.getByRole("button", { name: "Save the correction" }).click();
  await expect(page.locator(".error", { hasText: "give a reason" })).toBeVisible();
  await expect(page.locator("[name='data.supplier_lot']")).toHaveValue("F-2126");
  await check(page);
  await page.getByLabel("Why was it wrong?").fill("a point too far right");
  await page.getByRole("button", { name: "Save the correction" }).click();
  await expect(page.locator(".event s").first()).toContainText("32.0 kg");
  await expect(page.locator(".head .sum")).toContainText("3.20 kg");
  await expect(page.locator(".head .sum")).toContainText("their lot F-2126");
  await correct("Temperature");
  await page.locator("[name='data.celsius']").fill("1.1");
  await page.getByLabel("Why was it wrong?").fill("read 11.2 for 1.1");
  await page.getByRole("button", { name: "Save the correction" }).click();
  await expect(page.locator(".events")).toContainText("event 2, temperature: read 11.2 for 1.1");
  await expect(page.locator(".event", { hasText: "core temperature 1.1 °C" }).locator("s")).toHaveText("core temperature 11.2 °C");
  await openAct(page, "Declare origin");
  await page.locator("[name='origin'][value='farmed']").check({ force: true });
  await page.locator("#declared-reason").fill("letter of 12 November");
  await page.getByRole("button", { name: "Declare origin" }).click();
  await expect(page.locator("main")).toContainText("Origin declared: farmed.");
});
