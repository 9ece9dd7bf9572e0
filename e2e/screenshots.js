// Takes the pictures of docs/screenshots: node e2e/screenshots.js URL
import { chromium } from "@playwright/test";
import { loggerFile } from "./help.js";

const base = process.argv[2];
const dir = new URL("../docs/screenshots/", import.meta.url).pathname;
const browser = await chromium.launch({ executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const desk = { width: 1280, height: 800 }, phone = { width: 390, height: 844 };

async function open(viewport, path) {
  const page = await browser.newPage({ viewport, timezoneId: "Europe/Oslo", locale: "en-GB" });
  await page.goto(base + "/k/harbour" + path);
  await page.waitForTimeout(300);
  return page;
}

async function shoot(page, name) {
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: dir + name + ".png" });
  await page.close();
}

for (const [name, viewport, path] of [["board", desk, "/board"], ["board-phone", phone, "/board"], ["dock", desk, "/dock"], ["ice", desk, "/ice"], ["records", desk, "/records"]]) await shoot(await open(viewport, path), name);

const receive = await open(desk, "/dock/receive");
await receive.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
await receive.locator('[name="line-0-species"]').pressSequentially("mack");
await receive.locator(".found-item").first().waitFor();
await shoot(receive, "receive");

async function inspect(viewport, name) {
  const page = await open(viewport, "/dock");
  await page.locator("a.card-row[href$=inspect]").first().click();
  for (const level of [2, 2, 1, 2, 2, 2, 3]) {
    await page.locator(".sign-now .level").nth(level - 1).click();
    await page.waitForTimeout(350);
  }
  await shoot(page, name);
}
await inspect(desk, "inspect");
await inspect(phone, "inspect-phone");

const board = await open(desk, "/board");
await board.locator("a.melt-row", { hasText: "Coalfish" }).first().click();
await board.waitForTimeout(300);
await shoot(board, "lot");

const load = await open(desk, "/import");
await load.getByLabel("CSV file of a logger").setInputFiles({ name: "walk-in.csv", mimeType: "text/csv", buffer: loggerFile({ hours: 6, celsius: 1.5, bad: ["2026-01-01 05:00;no sensor"] }) });
await load.getByRole("button", { name: "Read the file" }).click();
await load.locator('[name="unit"][value="C"]').check();
await load.getByRole("button", { name: "Read the file" }).click();
await load.getByText("What was read").waitFor();
await shoot(load, "import");
await browser.close();
