// From the dock to the board, whole: receive, inspect, move, log, import, read
// the card, void, and see the board move.
import { api, expect, fillLine, goLive, loggerFile, openAct, test } from "./help.js";

test("from the dock to the board", { tag: "@phone" }, async ({ page, request }, info) => {
  const phone = info.project.name === "phone";
  const errors = [];
  page.on("pageerror", (e) => errors.push(e.message));

  await test.step("the board shows the kitchen's fish, ending first on top", async () => {
    await page.goto("/");
    await expect(page).toHaveURL(/\/k\/harbour\/board$/);
    await expect(page.getByText("Demo", { exact: true })).toBeVisible();
    expect(await page.locator(".lot-row").count()).toBeGreaterThan(15);
    const by = await page.locator('[data-group="use"] .lot-row').evaluateAll((rows) => rows.map((r) => Number(r.dataset.by)));
    expect(by).toEqual([...by].sort((a, b) => a - b));
    await page.goto("/k/harbour/board?view=place");
    for (const list of await page.locator('.board-rows[data-group^="place-"]').all()) {
      const order = await list.locator(".lot-row").evaluateAll((rows) => rows.map((r) => Number(r.dataset.order)));
      expect(order).toEqual([...order].sort((a, b) => a - b));
    }
    await page.goto("/k/harbour/board");
  });

  let card;
  await test.step("receive a docket of two lines", async () => {
    if (phone) await page.goto("/k/harbour/deliveries");
    await page.getByRole("link", { name: phone ? "Receive a delivery" : "Receive", exact: true }).first().click();
    await page.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
    await page.locator(".docket-fields summary").click();
    await page.getByLabel("Delivery note number").fill("d-130");
    await page.locator('[name="line-0-species"]').pressSequentially("gadus m");
    await page.getByRole("button", { name: /^Atlantic cod Gadus morhua/ }).click();
    await expect(page.locator('[name="line-0-species"]')).toHaveValue("Atlantic cod");
    await fillLine(page, 0, { form: "whole", count: 2, core: "0,9", ice: "well_iced", caught: 40, supplier_lot: "130-A" });
    if (phone) await page.locator('[name="line-0-weight_kg"]').fill("7.2");
    else {
      await page.locator('[name="line-0-weight_kg"]').focus();
      for (const key of ["7", ".", "2"]) await page.locator(`[data-pad="${key}"]`).click();
    }
    await page.getByRole("button", { name: "Add a line" }).click();
    await expect(page.getByText("Line 2")).toBeVisible();
    await expect(page.locator('[name="line-0-weight_kg"]')).toHaveValue("7.2");
    await fillLine(page, 1, { species: "haddock", form: "gutted", count: 4, weight: 5.5, core: 1.1, ice: "well_iced", supplier_lot: "130-B" });
    await page.getByRole("button", { name: "Receive 2 lots" }).click();
    await expect(page).toHaveURL(/deliveries\/[0-9a-f]/);
    const codes = await page.locator(".code-big").allTextContents();
    expect(codes).toHaveLength(2);
    for (const code of codes) expect(code).toMatch(/^[A-Z]+-\d{3,4}$/);
    card = await page.getByRole("link", { name: "Card", exact: true }).first().getAttribute("href");
  });

  await test.step("inspect the cod: the drawing becomes the fish", async () => {
    await page.getByRole("link", { name: "Inspect", exact: true }).first().click();
    const before = await page.locator(".fish").innerHTML();
    const levels = [1, 1, 0, 1, 1, 1, 2, 1, 1]; // index 9
    for (const [i, level] of levels.entries()) {
      await expect(page.locator(".sign-now .sign-n")).toHaveText(`${i + 1}/9`);
      if (phone) await page.locator(".sign-now .level").nth(level).tap();
      else await page.keyboard.press(String(level + 1));
      await expect(page.locator("#look")).toContainText(`${i + 1}/9 signs`);
    }
    await expect(page.locator("#index")).toHaveText("9.0");
    expect(await page.locator(".fish").innerHTML()).not.toBe(before);
    await expect(page.locator(".ruler")).toContainText("papers say 2.4");
    await expect(page.locator(".ruler")).toContainText("fish says 6.9");
    await expect(page.locator("#verdict")).toHaveText("Accept");
    await expect(page.locator(".verdict")).toContainText("House strict");
  });

  await test.step("override needs a reason, and loses nothing", async () => {
    await page.getByLabel("Decision").selectOption("accept_cook");
    await page.getByRole("button", { name: /Record/ }).click();
    await expect(page.getByText("give a reason")).toBeVisible();
    await expect(page.locator("#index")).toHaveText("9.0");
    await page.getByLabel(/^Reason/).fill("for the fish soup of tonight");
    await page.getByRole("button", { name: /Record/ }).click();
    await expect(page).toHaveURL(new RegExp(card + "$"));
    await expect(page.locator(".events")).toContainText("because: for the fish soup of tonight");
  });

  await test.step("move it, log its temperature", async () => {
    await openAct(page, "Move");
    await page.locator(".log-form[open] label", { hasText: "Ice tote" }).click();
    await page.locator(".log-form[open] button").click();
    await expect(page.locator(".events")).toContainText("to Ice tote");
    await openAct(page, "Log temperature");
    await page.locator(".log-form[open] [name=celsius]").fill("1.4");
    await page.locator(".log-form[open] button.btn").click();
    await expect(page.locator(".events")).toContainText("core temperature 1.4 °C");
  });

  await test.step("import the log of the box it travelled in: ask what is unclear, name bad lines, store once", async () => {
    const file = { name: "box.csv", mimeType: "text/csv", buffer: loggerFile({ hours: 30, celsius: 0.5, heading: `time;reading ${info.project.name}`, bad: ["2026-01-01 05:00;broken", "no time;1,0"] }) };
    for (const again of [false, true]) {
      await page.goto(card);
      const before = await page
        .getByText(/^Assumed/)
        .locator("..")
        .innerText();
      await openAct(page, "Import a logger file");
      await page.getByLabel("CSV file of a logger").setInputFiles(file);
      await page.getByRole("button", { name: "Read the file" }).click();
      if (again) await expect(page.getByText("known logger")).toBeVisible();
      else {
        await expect(page.getByText("The file does not tell")).toBeVisible();
        await page.locator('[name="unit"][value="C"]').check();
      }
      await expect(page.getByText("2 bad lines")).toBeVisible();
      await page.locator(".bad-rows summary").click();
      await expect(page.locator(".bad-rows")).toContainText("broken");
      await page.getByRole("button", { name: /^Store \d+ readings/ }).click();
      await expect(page.getByRole("heading", { name: "Stored" })).toBeVisible();
      const [stored, duplicate] = await page.locator(".small-figures dd").allTextContents();
      expect(Number(stored) > 0).toBe(!again);
      expect(Number(duplicate) > 0).toBe(again);
      await page.getByRole("link", { name: "To the lot" }).click();
      if (!again)
        expect(
          await page
            .getByText(/^Assumed/)
            .locator("..")
            .innerText(),
        ).not.toBe(before);
    }
    await expect(page.locator(".coldline .trace")).toHaveCount(1);
    await expect(page.locator(".coldline .assumed").first()).toBeAttached();
  });

  await test.step("void an event with a reason and see it struck through", async () => {
    const event = page.locator(".event", { hasText: "core temperature 1.4 °C" });
    await event.locator("summary").click();
    await event.getByRole("button", { name: /^Cancel entry/ }).click();
    await expect(event.getByText("give a reason")).toBeVisible();
    await event.getByLabel("Why is it wrong?").fill("another box");
    await event.getByRole("button", { name: /^Cancel entry/ }).click();
    await expect(page.locator(".event-void", { hasText: "core temperature 1.4 °C" })).toContainText("cancelled: another box");
    await expect(page.locator(".event-void .event-text").first()).toHaveCSS("text-decoration-line", "line-through");
  });

  await test.step("the board changes within two seconds of a new reading", async () => {
    await goLive(page, "/k/harbour/board");
    const { lots } = await (await api(request, "GET", "/lots?on_hand=true")).json();
    const soon = lots.filter((l) => !l.frozen && !l.stops.length && !l.hold && l.life_left_days > 0.5);
    const { id, code } = soon.sort((a, b) => a.life_left_days - b.life_left_days)[0]; // the soonest: its hour is shown
    const mine = page.locator(`#lot-${code} .lot-by`); // wherever it moves
    const before = await mine.innerText();
    const sent = Date.now();
    const warm = phone ? 3.4 : 3.9; // below 4: above, it counts back to the core before
    const got = await api(request, "POST", `/lots/${id}/events`, {
      data: { id: crypto.randomUUID(), kind: "temperature", happened_at: new Date().toISOString(), data: { celsius: warm } },
    });
    expect(got.status()).toBe(201);
    await expect(mine).not.toHaveText(before, { timeout: Math.max(1, 2000 - (Date.now() - sent)) });
  });
  expect(errors).toEqual([]);
});
