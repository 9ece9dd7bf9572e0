// On a market with one hand: a quick look, the counter card, and the fish
// bought becomes the line of its delivery.
import { expect, fillLine, test } from "./help.js";

test("a look at the market becomes the line of its delivery", { tag: "@phone" }, async ({ page }, info) => {
  const stall = `Market stall ${info.project.name}${info.retry}`;
  await page.goto("/k/harbour/deliveries/market");
  await page.locator("#species").fill("macke");
  await page.locator(".found-item").first().click();
  await expect(page.locator(".fish")).toBeVisible();
  const look = async (sign, level) => {
    await page.locator(`[name="sign-${sign}"][value="${level}"]`).check({ force: true });
    await expect(page.locator(`[name="sign-${sign}"][value="${level}"]`)).toBeChecked();
  };
  for (const [sign, level] of [["eyes", 0], ["gills", 1], ["smell", 0], ["press", 1], ["skin", 0]]) await look(sign, level);
  await expect(page.locator("#verdict")).toHaveText("Hold");
  await expect(page.locator(".verdict")).toContainText("two or more signs in doubt: do the full scheme");
  await look("press", 0);
  await expect(page.locator("#verdict")).toHaveText("Accept");
  await page.locator("summary", { hasText: "Questions at the stall" }).click();
  await page.locator('[name="stall-out"][value="yes"]').check({ force: true });
  await page.locator('[name="stall-unwrapped"][value="no"]').check({ force: true });
  await page.locator("#stall").fill(stall);
  await page.locator("#price").fill("9,50");
  await page.locator("#count").fill("12");
  await page.locator("#weight_kg").fill("4.2");
  await page.getByRole("button", { name: "Save the check" }).click();
  const kept = page.locator(".card-row", { hasText: stall });
  await expect(kept).toContainText("May I smell it unwrapped? No.");
  await kept.getByRole("link", { name: "Bought" }).click();
  await expect(page.locator('[name="line-0-species"]')).toHaveValue("Mackerel");
  await expect(page.locator('[name="line-0-count"]')).toHaveValue("12");
  await fillLine(page, 0, { core: 1.2, ice: "well_iced" });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  await expect(page.locator(".events")).toContainText("quick: 1 fish");
  await page.goto("/k/harbour/deliveries/market");
  await expect(page.locator(".card-row", { hasText: stall }).getByRole("link", { name: "Its lot" })).toBeVisible();
});
