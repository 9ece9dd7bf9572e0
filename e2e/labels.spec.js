// Labels: seen as they are printed, printed over the network, read by a phone.
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import jsqr from "jsqr";
import { PNG } from "pngjs";
import { check, expect, receive, settled, test } from "./help.js";

// labelPrinter starts a simulated printer; it returns its address, what it printed, and how to switch it off.
async function labelPrinter() {
  const dir = mkdtempSync(join(tmpdir(), "labels-"));
  const child = spawn(".build/leancatch", ["simulate", "-printer", "127.0.0.1:0", "-prints", dir], { cwd: new URL("..", import.meta.url).pathname });
  const uri = await new Promise((resolve, reject) => {
    child.stdout.on("data", (text) => resolve(/ipp:\S+/.exec(text)[0]));
    child.on("exit", () => reject(new Error("the printer ended")));
  });
  return {
    uri,
    printed: () => readdirSync(dir).sort().map((name) => PNG.sync.read(readFileSync(join(dir, name)))),
    off: () => child.kill(),
  };
}

test("a label is printed twice, and a phone finds its lot by it", { tag: "@phone" }, async ({ page }) => {
  const printer = await labelPrinter();
  try {
    await test.step("the printer is set up, and tried", async () => {
      await page.goto("/k/harbour/settings");
      const form = page.locator("form", { has: page.getByRole("heading", { name: "Labels" }) });
      await form.getByLabel("Address of the label printer").fill("http://192.168.1.40/");
      await form.getByRole("button", { name: "Save the printer" }).click();
      await expect(form).toContainText("begins with ipp://");
      await form.getByLabel("Address of the label printer").fill(printer.uri);
      await form.getByRole("button", { name: "Save, and print one to try" }).click();
      await expect.poll(() => printer.printed().length).toBe(1);
    });

    const card = await receive(page, { species: "Atlantic cod", form: "gutted", count: 4, weight: 8 });
    await page.goto(card);
    const code = (await page.locator("h1").first().textContent()).match(/[A-Z]+-\d+/)?.[0];
    await page.getByRole("link", { name: "Label", exact: true }).click();
    const copies = page.getByLabel(`Labels of ${code}`);

    await test.step("what is printed is seen, and how many is said on the button", async () => {
      await expect(page.getByRole("img", { name: new RegExp(`Atlantic cod, gutted, gills in\\. ${code}.*Contains FISH`) })).toBeVisible();
      await copies.fill("500");
      await settled(page);
      await expect(page.locator("form.labels")).toContainText("is between 0 and 99");
      await copies.fill("2");
      await settled(page);
      await check(page);
      await page.getByRole("button", { name: "Print 2" }).click();
      await expect(page.getByRole("status").filter({ hasText: "2 labels printed" })).toBeVisible();
      expect(printer.printed().length).toBe(3);
    });

    await test.step("the code on it opens the lot", async () => {
      const { data, width, height } = printer.printed()[2];
      expect([width, height]).toEqual([496, 320]);
      const read = jsqr(new Uint8ClampedArray(data), width, height);
      expect(read?.data).toContain(card);
      await page.goto(read.data);
      await expect(page.locator("h1").first()).toContainText(code);
    });

    await test.step("a sheet is a PDF, begun where the last one ended", async () => {
      await page.getByRole("link", { name: "Label", exact: true }).click();
      await page.getByLabel("Size").selectOption("a4-21");
      await page.getByLabel("Begin at label").fill("22");
      await settled(page);
      await expect(page.locator("form.labels")).toContainText("is between 1 and 21");
      await page.getByLabel("Begin at label").fill("21");
      await copies.fill("3");
      await settled(page);
      const pdf = await page.request.get(await page.getByRole("link", { name: "PDF" }).getAttribute("href"));
      expect(pdf.headers()["content-type"]).toBe("application/pdf");
      expect((await pdf.body()).toString("latin1").match(/\/Type \/Page\n/g).length).toBe(2);
    });

    await test.step("a printer that is switched off is said to be, and nothing is lost", async () => {
      printer.off();
      await page.getByLabel("Size").selectOption("roll-62x40");
      await settled(page);
      await page.getByRole("button", { name: "Print 3" }).click();
      await expect(page.getByRole("alert").filter({ hasText: "does not answer" })).toContainText("Nothing was printed");
      await expect(copies).toHaveValue("3");
    });
  } finally {
    printer.off();
  }
});
