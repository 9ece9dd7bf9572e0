// What a name means: asked where several fish go by it, unlisted where nobody knows it, and a kitchen's own.
import { choose, expect, fillLine, local, takeShift, test } from "./help.js";
import { Effort } from "./effort.js";

test("a snapper is asked which, and a wrong letter is answered with the fish that is meant", async ({ page }) => {
  await page.goto("/k/harbour/deliveries/receive");
  const field = page.locator('[name="line-0-species"]');
  await field.pressSequentially("snapper");
  await expect(page.locator(".found-item")).toHaveCount(14);
  await field.press("Enter"); // asks: none of them is taken
  await expect(field).toHaveValue("snapper");
  await expect(page.locator(".found-item").first()).toBeFocused();
  await page.getByRole("button", { name: /^Vermilion snapper/ }).click();
  await expect(field).toHaveValue("Vermilion snapper");
  await field.fill("");
  await field.pressSequentially("mackrel");
  await expect(page.locator(".found-item").first()).toContainText("Mackerel");
  await field.fill("snapper");
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByText("is what several fish are called. Which one:")).toBeVisible();
  await page.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
  await field.focus();
  await page.locator(".found-item", { hasText: "Lane snapper" }).click(); // the answers stand ready
  await expect(field).toHaveValue("Lane snapper");
});

test("an unlisted fish comes in, and a manager completes it @phone", { tag: "@phone" }, async ({ page }, info) => {
  const name = `Kutum ${info.project.name}${info.retry || ""}`;
  const effort = await new Effort(page).start("/k/harbour/deliveries/receive");
  const began = Date.now();
  await effort.type("Skua Day-boat", page.getByLabel("Supplier", { exact: true }));
  await page.keyboard.press("Escape");
  await effort.choose(page.getByLabel("Goes to").first(), "Dock");
  await effort.tap(page.getByRole("radio", { name: "All around" }).first());
  await effort.type(name, page.locator('[name="line-0-species"]'));
  await effort.choose(page.locator('[name="line-0-form"]'), "Whole, ungutted");
  await effort.type("3", page.locator('[name="line-0-count"]'));
  await effort.type("4.5", page.locator('[name="line-0-weight_kg"]'));
  await effort.type("1.1", page.locator('[name="line-0-core_celsius"]'));
  await effort.tap(page.getByRole("button", { name: "Receive 1 lot" }));
  await expect(page.getByText("it comes in as an unlisted fish, under every rule")).toBeVisible();
  await effort.tap(page.getByLabel(`Yes, ${name} is right`));
  await effort.tap(page.getByRole("button", { name: "Receive 1 lot" }));
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]{8}/);
  console.log(`      an unlisted fish, ${info.project.name}: ${effort}, ${((Date.now() - began) / 1000).toFixed(0)} s`);
  await page.locator(".code-big a, a.code-big, .card a").first().click();
  await expect(page.locator("main")).toContainText(name);

  await takeShift(page, "Ansa");
  await page.goto(`/k/harbour/records/species?own=1&q=${encodeURIComponent(name)}`);
  await page.getByRole("link", { name }).click();
  await expect(page.getByText("Unlisted: under every rule until a manager completes it.")).toBeVisible();
  await page.getByLabel("Keeps in ice, at least").fill("8");
  await page.getByLabel("Keeps in ice, at most").fill("6");
  await page.getByRole("button", { name: "Save it as version 2" }).click();
  await expect(page.getByText("must go from a lower to a higher number")).toBeVisible();
  await page.getByLabel("Keeps in ice, at most").fill("14");
  await page.getByLabel("Waters", { exact: true }).selectOption("temperate");
  await page.getByLabel("Of the reefs").uncheck();
  await page.getByRole("button", { name: "Save it as version 2" }).click();
  await expect(page.locator(".species-facts")).toContainText("8–14 days");
  await expect(page.getByText("Versions")).toBeVisible();
});

test("a species of our own by its kin, on the careful side", async ({ page }, info) => {
  const name = `Skerry bass${info.retry || ""}`;
  await takeShift(page, "Ansa");
  await page.goto("/k/harbour/records/species?q=bar");
  await page.getByRole("link", { name: "Sea bass", exact: true }).click();
  await expect(page.locator(".species-facts")).toContainText("wild: High; farmed: Low");
  await page.getByLabel("Its name").fill("mackerel");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.getByText("is Mackerel already")).toBeVisible();
  await page.getByLabel("Its name").fill(name);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator("h1")).toContainText(name);
  await expect(page.locator(".species-facts")).toContainText("6.8–11.3 days");
  await expect(page.locator(".species-facts")).toContainText("its waters are asked for");
  await page.goto("/k/harbour/deliveries/receive");
  await page.locator('[name="line-0-species"]').pressSequentially("skerry");
  await expect(page.locator(".found-item").first()).toContainText(name);
});

test("prawns and oysters come in on the same van: counted by the pound, tagged, placed, looked at", { tag: "@phone" }, async ({ page }, info) => {
  const tag = `H-${info.project.name}-${Date.now() % 1e6}`;
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Dunlin Fish Merchants");
  await fillLine(page, 0, { species: "Warm-water prawn", form: "whole", count: "16/20 per lb", weight: 2, core: 1.4, ice: "well_iced" });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByText("give the day by which it is used")).toBeVisible();
  await page.locator('[name="line-0-use_by"]').fill(local(48).slice(0, 10));
  await page.getByRole("button", { name: "Add a line" }).click();
  await fillLine(page, 1, { species: "Pacific oyster", form: "live", count: 60, weight: 6, core: 1.8, ice: "some_ice" });
  await page.locator('[name="line-1-use_by"]').fill(local(72).slice(0, 10));
  await page.getByRole("button", { name: "Receive 2 lots" }).click();
  await expect(page.getByText("give the number of the harvester's tag")).toBeVisible();
  await page.locator('[name="line-1-tag"]').fill(tag);
  await page.getByRole("button", { name: "Receive 2 lots" }).click();
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]{8}/);
  await expect(page.locator("main")).toContainText("79 × Whole"); // 18 a pound, two kilos
  await page.getByRole("link", { name: "Inspect", exact: true }).last().click();
  await expect(page.locator("h1")).toContainText("Pacific oyster");
  await choose(page, [0, 0, 0, 0, 0], info.project.name === "phone");
  await page.getByRole("button", { name: /Record/ }).click();
  await expect(page.getByText(`Harvester's tag ${tag}: keep it with them, and 90 days after the last is gone.`)).toBeVisible();
  await expect(page.locator(".lot-hero")).toContainText(/raw/i);
  await expect(page.locator(".events")).toContainText(`tag ${tag}`);
});
