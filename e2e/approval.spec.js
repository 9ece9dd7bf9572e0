import { check, expect, receive, takeShift, test } from "./help.js";

// askFor scores a warm box and asks for it to be taken all the same.
async function askFor(page, species) {
  const card = await receive(page, { species, core: 9.5 });
  await page.goto(card + "/inspect");
  for (let n = 1; n <= 9; n++) {
    await page.keyboard.press("1");
    await expect(page.locator("#look")).toContainText(`${n}/9 signs`);
  }
  await page.getByLabel("Decision").selectOption("accept_cook");
  await page.getByLabel(/^Reason/).fill("iced again at once");
  await page.getByRole("button", { name: /^Record/ }).click();
  await page.getByRole("button", { name: "Put it on hold and ask" }).click();
  await expect(page).toHaveURL(card + "/label");
  return card;
}

test("nothing waits at the door: on hold with a red label, approved from a phone with its photo, two at once", async ({ page }) => {
  await takeShift(page, "Bertil");
  const cod = await askFor(page, "Atlantic cod");
  await expect(page.locator(".hold-label")).toContainText("Hold");
  await expect(page.locator(".hold-label")).toContainText("needs a manager");
  await page.getByLabel("Photo for who decides").setInputFiles({ name: "box.png", mimeType: "image/png", buffer: await page.screenshot() });
  await page.getByRole("button", { name: "Add the photo" }).click();
  await expect(page.locator(".hold-acts .photo img")).toBeVisible();
  await check(page, "the red label");
  const haddock = await askFor(page, "Haddock");
  await page.goto("/k/harbour/approvals");
  await expect(page.locator("main")).toContainText("A manager approves");

  await page.setViewportSize({ width: 390, height: 844 });
  await takeShift(page, "Ansa");
  await page.goto("/k/harbour/due");
  await page.getByRole("link", { name: /Approve/ }).click();
  await check(page, "what waits for a manager");
  await expect(page.locator(".request", { hasText: "Cod" }).locator(".photo img")).toBeVisible();
  await page.getByRole("button", { name: "Approve" }).click();
  await expect(page.getByRole("alert")).toContainText("choose at least one");
  for (const species of ["Atlantic cod", "Haddock"]) await page.locator(".request", { hasText: species }).locator("input").check();
  await page.getByRole("button", { name: "Approve" }).click();
  await expect(page.locator(".request")).toHaveCount(0);
  for (const card of [cod, haddock]) {
    await page.goto(card);
    await expect(page.locator(".events")).toContainText("Bertil, approved by Ansa");
    await expect(page.locator(".notice-stop", { hasText: "On hold" })).toHaveCount(0);
  }
});

test("the deputy of the shift approves, what is not approved stays on hold, and says why", async ({ page }) => {
  await takeShift(page, "Ansa");
  await page.goto("/k/harbour/approvals");
  await page.getByLabel("Until the day ends").selectOption({ label: "Cato" });
  await page.getByRole("button", { name: "Name the deputy" }).click();
  await expect(page.locator(".deputy")).toContainText("Cato, named by Ansa");
  await takeShift(page, "Bertil");
  const card = await askFor(page, "Ling");
  await takeShift(page, "Cato");
  await page.goto("/k/harbour/approvals");
  await page.locator(".request", { hasText: "Ling" }).locator("input").check();
  await page.locator("summary", { hasText: "Not approved" }).click();
  await page.getByRole("button", { name: "Leave on hold" }).click();
  await expect(page.getByRole("alert").first()).toContainText("say why not");
  await expect(page.locator(".request", { hasText: "Ling" }).locator("input")).toBeChecked();
  await page.getByLabel(/^Why not/).fill("back to Skua with it");
  await page.getByRole("button", { name: "Leave on hold" }).click();
  await expect(page.locator(".request", { hasText: "Ling" })).toHaveCount(0);
  await page.goto(card);
  await expect(page.locator(".notice-stop", { hasText: "On hold" })).toContainText("back to Skua with it");
});
