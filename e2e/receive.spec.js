import { Effort } from "./effort.js";
import { expect, test } from "./help.js";

test("three lines from a new supplier", { tag: "@phone" }, async ({ page }, info) => {
  const phone = info.project.name === "phone";
  const effort = await new Effort(page).start("/k/harbour/deliveries/receive");
  const supplier = page.getByLabel("Supplier", { exact: true });
  if (phone) await effort.tap(supplier);
  else await expect(supplier).toBeFocused();
  await effort.type(`Gannet${info.retry || ""}`);
  await effort.choose(page.getByLabel("Goes to").first(), "Dock");
  await effort.tap(page.getByRole("radio", { name: "All around" }).first());
  const lines = [
    ["cod", "Gutted, gills in", "12", "10.4", "1.2"],
    ["hake", "Gutted, gills in", "6", "8.9", "0.8"],
    ["plaice", "Whole, ungutted", "9", "4.2", "1.1"],
  ];
  for (const [i, [species, form, count, kg, core]] of lines.entries()) {
    if (i) await effort.tap(page.getByRole("button", { name: "Add a line" }));
    const field = (name) => page.locator(`[name="line-${i}-${name}"]`);
    if (i) await expect(field("species")).toBeFocused();
    await effort.type(species.slice(0, 3), i ? undefined : field("species"));
    await expect(page.locator(".found-item").first()).toContainText(new RegExp(species, "i"));
    await effort.press("Enter");
    if (await page.locator(".found-item").first().isVisible()) await effort.press("Enter"); // several fish are called so: the first is what is bought here
    await expect(field("form")).toBeFocused();
    await effort.choose(field("form"), form);
    for (const text of [count, kg, core]) {
      await effort.press("Tab");
      await effort.type(text);
    }
  }
  await effort.tap(page.getByRole("button", { name: "Receive 3 lots" }));
  await expect(page).toHaveURL(/deliveries\/[0-9a-f]{8}/);
  await expect(page.locator(".code-big")).toHaveCount(3);
  console.log(`      three lines from a new supplier, ${info.project.name}: ${effort}`);
  expect(effort.taps).toBeLessThanOrEqual(15);
  expect(effort.keys).toBeLessThanOrEqual(52); // two of the three names are asked about: a key each
});

test("a kitchen does not begin with an empty fridge: six fish in one go", { tag: "@phone" }, async ({ page }, info) => {
  const effort = await new Effort(page).start("/k/harbour/deliveries/here");
  await effort.choose(page.getByLabel("Where it lies"), "Fish drawer");
  const fish = [["cod", "Gutted, gills in", "4.2"], ["hake", "Gutted, gills in", "3.1"], ["plaice", "Whole, ungutted", "2.4"], ["turbot", "Gutted, gills in", "5.0"], ["haddock", "Gutted, gills in", "6.3"], ["whiting", "Gutted, gills in", "1.9"]];
  for (const [i, [species, form, kg]] of fish.entries()) {
    if (i) await effort.tap(page.getByRole("button", { name: "Add fish" }));
    const field = (name) => page.locator(`[name="line-${i}-${name}"]`);
    if (i) await expect(field("species")).toBeFocused();
    await effort.type(species.slice(0, 4), i ? undefined : field("species"));
    await expect(page.locator(".found-item").first()).toContainText(new RegExp(species, "i"));
    await effort.tap(page.locator(".found-item").first());
    await effort.choose(field("form"), form);
    await effort.type(kg, field("weight_kg"));
    if (!i) await effort.tap(page.getByRole("button", { name: "yesterday" }));
  }
  await page.locator('[name="line-0-label"]').setInputFiles({ name: "label.png", mimeType: "image/png", buffer: await page.screenshot({ clip: { x: 0, y: 0, width: 200, height: 120 } }) });
  await effort.type("in the drawer all night, the chef says", page.getByLabel("What is known of it"));
  await effort.tap(page.getByRole("button", { name: "Save 6 lots" }));
  await expect(page).toHaveURL(/board$/);
  console.log(`      six fish that are here, ${info.project.name}: ${effort}`);
  const row = page.locator(".lot-row", { hasText: "Turbot" }).filter({ hasText: "Fish drawer" }).filter({ hasText: "5.00 kg" }).first();
  await expect(row).toContainText(/No: not inspected|No: here/);
  await page.goto(await row.locator("a").getAttribute("href"));
  await expect(page.locator(".events")).toContainText("in the drawer all night");
  expect(effort.taps).toBeLessThanOrEqual(40);
});
