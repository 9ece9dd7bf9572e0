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
  await expect(page.locator(".quick", { hasText: "Smell" }).first()).toContainText("May I smell it unwrapped? No. A pass does not count.");
  await expect(page.locator(".verdict")).toContainText("only 4 signs were seen, fewer than 5: at best to cook"); // what may not be smelt is not seen
  await page.locator('[name="stall-back"][value="fresher"]').check({ force: true });
  await page.locator("#stall").fill(stall);
  await page.locator("#price").fill("9,50");
  await page.locator("#count").fill("12");
  await page.locator("#weight_kg").fill("4.2");
  await page.getByRole("button", { name: "Save the check" }).click();
  const kept = page.locator(".card-row", { hasText: stall });
  await expect(kept).toContainText("May I smell it unwrapped? No.");
  // What comes fresher from the back is a second look, and the stall is known for it.
  await kept.getByRole("link", { name: "Second look" }).click();
  await expect(page.locator("#stall")).toHaveValue(stall);
  for (const sign of ["eyes", "gills", "smell", "press", "skin"]) await look(sign, 0);
  await expect(page.locator("#verdict")).toHaveText("Accept");
  await page.locator("#price").fill("3,50");
  await page.getByLabel("That price is for").selectOption("a piece");
  await page.locator("#count").fill("12");
  await page.locator("#weight_kg").fill("4.2");
  await page.getByRole("button", { name: "Save the check" }).click();
  await expect(kept.first()).toContainText("3.50 € a piece");
  await expect(page.locator("tr", { hasText: stall })).toContainText("1 of 1");
  await expect(kept).toHaveCount(2);
  await expect(page.getByRole("link", { name: "Second look" })).toHaveCount(0);
  await kept.first().getByRole("link", { name: "Bought" }).click();
  await expect(page.locator('[name="line-0-species"]')).toHaveValue("Mackerel");
  await expect(page.locator('[name="line-0-count"]')).toHaveValue("12");
  await expect(page.locator('[name="line-0-unit_price_cents"]')).toHaveValue("3.50");
  await expect(page.locator('[name="line-0-price_for"]')).toHaveValue("piece");
  await fillLine(page, 0, { core: 1.2, ice: "well_iced" });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await page.getByRole("link", { name: "Card", exact: true }).click();
  await expect(page.locator(".events")).toContainText("quick: 1 fish");
  await page.goto("/k/harbour/deliveries/market");
  await expect(page.locator(".card-row", { hasText: stall }).getByRole("link", { name: "Its lot" })).toBeVisible();
  await expect(page.locator("tr", { hasText: stall }).locator("td").last()).toHaveText("1");
});

test("a fish caught on a day on which the boats stayed in is asked about", async ({ page }) => {
  await page.goto("/k/harbour/deliveries");
  await page.getByLabel("Area").fill("off the Outer Skerries");
  await page.getByRole("button", { name: "They stay in today" }).click();
  const noted = page.locator(".boats-in", { hasText: "off the Outer Skerries" });
  await expect(noted).toBeVisible();
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
  await fillLine(page, 0, { species: "Atlantic cod", form: "gutted", count: 2, weight: 6, core: 0.9, ice: "well_iced", caught: 0.02 });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByText("is a day on which the boats stayed in: off the Outer Skerries")).toBeVisible();
  await page.getByLabel(/is right$/).check();
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]{8}/);
  await page.goto("/k/harbour/deliveries");
  await noted.getByRole("button", { name: "Out again" }).click();
  await expect(noted).toContainText("out again");
  await noted.getByRole("button", { name: "A mistake" }).click(); // other tests receive fish of today
  await expect(noted).toHaveCount(0);
});
