// What goes wrong in a kitchen: slips of the hand, two people at once, files
// that are none.
import { expect, fillLine, goLive, local, openAct, password, receive, test } from "./help.js";

test("slips of the hand are named beside the field and nothing typed is lost", async ({ page }) => {
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Fulmar Landing");
  await page.locator(".docket-fields summary").click();
  await page.getByLabel("Arrived").fill(local(2));
  await fillLine(page, 0, { species: "codd", count: 0, weight: -3, core: 99, ice: "none", caught: -3, supplier_lot: "X" });
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  for (const [name, text] of [
    ["species", "did you mean"],
    ["count", "between 1 and 10 000"],
    ["weight_kg", "must be above 0"],
    ["core_celsius", "between −60 and 60"],
    ["label-day", "lies after the delivery"],
  ]) {
    const field = page.locator(".field", { has: page.locator(`[name="line-0-${name}"]`) });
    await expect(field.locator(".error")).toContainText(text);
  }
  await expect(page.locator(".docket-fields .error")).toContainText("lies in the future");
  for (const [name, value] of [
    ["species", "codd"],
    ["weight_kg", "-3"],
    ["core_celsius", "99"],
    ["supplier_lot", "X"],
  ])
    await expect(page.locator(`[name="line-0-${name}"]`)).toHaveValue(value);
});

test("two people on one lot: the second sees the first's event and decides again", async ({ page, context }) => {
  const card = await receive(page, {});
  const second = await context.newPage();
  await page.goto(card);
  await second.goto(card);
  const discard = second.locator(".log-form", { has: second.locator("summary", { hasText: "Discard" }) });
  await openAct(second, "Discard");
  await discard.getByLabel("Reason").fill("stands on the dock for hours");

  await openAct(page, "Move");
  await page.locator(".log-form[open] label", { hasText: "Walk-in" }).click();
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("to Walk-in");

  await discard.locator("form button").click();
  await expect(second.getByText("Somebody else changed this lot")).toBeVisible();
  await expect(second.locator(".notice")).toContainText("Moved by");
  await expect(second.locator(".events")).not.toContainText("stands on the dock");
  await expect(discard.getByLabel("Reason")).toHaveValue("stands on the dock for hours");
  await discard.locator("form button").click();
  await expect(second.getByRole("heading", { name: "No longer on hand: discarded" })).toBeVisible();

  await openAct(page, "Hold");
  await page.locator(".log-form[open]").getByLabel("Reason").fill("let me look");
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".notice").first()).toContainText(/no longer on hand|Somebody else changed/i);
});

test("warm fish is a hard stop that the buyer cannot override, the manager can", async ({ page }) => {
  await page.goto("/k/harbour/shift");
  await page.getByRole("button", { name: /Bertil/ }).click();
  const card = await receive(page, { core: 9.5 });
  await page.goto(card + "/inspect");
  for (let i = 0; i < 9; i++) {
    await page.keyboard.press("1");
    await expect(page.locator("#look")).toContainText(`${i + 1}/9 signs`);
  }
  await expect(page.locator("#verdict")).toHaveText("Refuse");
  await expect(page.locator(".verdict")).toContainText("receiving limit of the rules House strict");
  await page.getByLabel("Decision").selectOption("accept");
  await page.getByLabel(/^Reason/).fill("iced again at once");
  await page.getByRole("button", { name: /Record/ }).click();
  await expect(page.getByText("overridden only by a manager")).toBeVisible();
  await page.locator(".name-pick", { hasText: "Ansa" }).click(); // on a device of one's own: by password
  await page.locator("#ask-secret").fill(password());
  await page.locator("#ask-secret").press("Enter");
  await expect(page.locator(".events")).toContainText("because: iced again at once");
  await expect(page.locator(".events")).toContainText("Bertil, approved by Ansa");
});

test("files that are no table, and files too large, are refused with a reason", async ({ page }) => {
  await page.goto("/k/harbour/import");
  await page
    .getByLabel("CSV file of a logger")
    .setInputFiles({ name: "letter.txt", mimeType: "text/plain", buffer: Buffer.from("Dear Sirs,\nthe fish was cold.\n") });
  await page.getByRole("button", { name: "Read the file" }).click();
  await expect(page.locator(".error")).toContainText("not a table of readings");
  const answer = await page.request.post("/k/harbour/import", {
    multipart: { file: { name: "big.csv", mimeType: "text/csv", buffer: Buffer.alloc(65 << 20, "1,2\n") } },
  });
  expect(answer.status()).toBe(422);
  expect(await answer.text()).toContain("larger than 64 MB");
});

test("a lot that never was is a page, not a crash", async ({ page }) => {
  for (const path of ["/k/harbour/lots/0197a3b0-0000-7000-8000-000000000000", "/k/harbour/lots/x", "/k/nowhere/board", "/nothing"]) {
    const answer = await page.goto(path);
    expect(answer.status()).toBe(404);
    await expect(page.locator("h1")).toHaveText("Not Found");
  }
});

test("the whole way works without scripts", async ({ browser }) => {
  const context = await browser.newContext({ javaScriptEnabled: false });
  const page = await context.newPage();
  const card = await receive(page, { species: "European whiting" });
  await page.goto(card + "/inspect");
  for (const sign of ["eye_clarity", "eye_shape", "gill_colour", "gill_smell", "blood_spots", "skin", "stiffness", "belly", "smell"])
    await page.locator(`[data-sign="${sign}"] .level`).first().click();
  await page.getByRole("button", { name: "Look" }).click();
  await expect(page.locator("#index")).toHaveText("0.0");
  await page.getByRole("button", { name: /Record/ }).click();
  await expect(page.locator(".events")).toContainText("Inspected");
  await openAct(page, "Move");
  await page.locator(".log-form[open] label", { hasText: "Walk-in" }).click();
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("to Walk-in");
  await context.close();
});

test("a box is inspected fish by fish without scripts, and a photo that is none keeps what was typed", async ({ browser }) => {
  const context = await browser.newContext({ javaScriptEnabled: false, viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const card = await receive(page, { species: "Atlantic cod", count: 6, weight: 9 });
  await page.goto(card + "/inspect?scheme=quick");
  for (const smell of [0, 2]) {
    for (const sign of ["eyes", "gills", "press", "skin"]) await page.locator(`[name="sign-${sign}"][value="0"]`).check({ force: true });
    await page.locator(`[name="sign-smell"][value="${smell}"]`).check({ force: true });
    await page.getByRole("button", { name: /^Next fish/ }).click();
  }
  await expect(page.locator(".box-say")).toContainText("Fish 3 of 6");
  await expect(page.getByText("A hard stop opens the whole box")).toBeVisible();
  await page.getByRole("button", { name: "Fish 2:" }).click();
  await expect(page.locator('[name="sign-smell"][value="2"]')).toBeChecked();
  await page.getByRole("button", { name: /^Record Enter|^Record$/ }).click();
  await expect(page.locator(".notice").first()).toContainText("On hold: a hard stop in the sample");
  await page.getByLabel(/^Caption/).fill("sour one");
  await page.getByRole("button", { name: "Add the photo" }).click();
  await expect(page.getByText("choose a picture")).toBeVisible();
  await expect(page.getByLabel(/^Caption/)).toHaveValue("sour one");
  await context.close();
});

test("hostile names run nothing, wherever they are shown", async ({ page }) => {
  const said = [];
  page.on("dialog", (d) => {
    said.push(d.message());
    d.dismiss();
  });
  page.on("pageerror", (e) => said.push(e.message));
  const evil = `Gull"><img src=x onerror="window.ran=1"><script>window.ran=1</script>'{{7}}`;
  const ran = () => page.evaluate(() => window.ran);
  const card = await receive(page, { supplier: evil, supplier_lot: "<svg onload=window.ran=1>" });
  expect(await ran()).toBeUndefined();
  await page.goto(card);
  await openAct(page, "Hold");
  await page.locator(".log-form[open] [name=reason]").fill(evil);
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("<script>window.ran=1</script>");
  const supplier = await page.getByRole("link", { name: "Gull" }).first().getAttribute("href");
  for (const path of [card, supplier, "/k/harbour/board", "/k/harbour/deliveries", "/k/harbour/suppliers", "/k/harbour/records?q=gull", "/k/harbour/deliveries/receive", "/k/harbour/audit"]) {
    await goLive(page, path); // with what htmx puts in later
    expect(await ran(), path).toBeUndefined();
  }
  await page.goto("/k/harbour/board");
  const answered = page.waitForResponse((r) => r.url().includes("img"));
  await page.locator("#find").pressSequentially("<img src=x");
  await answered;
  expect(await ran()).toBeUndefined();
  expect(said).toEqual([]);
});

// hide makes the page believe that another one is shown in its place.
const hide = (page, hidden) =>
  page.evaluate((hidden) => {
    Object.defineProperty(document, "hidden", { configurable: true, get: () => hidden });
    document.dispatchEvent(new Event("visibilitychange"));
  }, hidden);

test("a hidden page listens to nothing; shown again it asks for all, and says how old it is where nobody answers", async ({ page, context }) => {
  await goLive(page, "/k/harbour/board");
  const stale = page.locator("#stale");
  const ended = page.waitForEvent("requestfailed", (r) => r.url().endsWith("/live"));
  await hide(page, true);
  await ended;
  await expect(stale).toBeHidden();
  const again = page.waitForResponse((r) => r.url().endsWith("/live"));
  const refreshed = page.waitForResponse((r) => r.url().includes("/board/rows"));
  await hide(page, false);
  await again;
  await refreshed;

  await hide(page, true);
  await context.setOffline(true);
  await hide(page, false);
  await expect(stale).toContainText(/This device is offline: what you see is as of .* Alarms cannot arrive here/, { timeout: 20_000 });
  const caughtUp = page.waitForResponse((r) => r.url().includes("/board/rows"));
  await context.setOffline(false);
  await expect(stale).toBeHidden({ timeout: 20_000 });
  await caughtUp;
});
