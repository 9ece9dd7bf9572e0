// Takes the pictures of docs/screenshots: node e2e/screenshots.js URL
import { chromium } from "@playwright/test";

const base = process.argv[2];
const dir = new URL("../docs/screenshots/", import.meta.url).pathname;
const browser = await chromium.launch({ executablePath: process.env.CHROMIUM, args: ["--no-sandbox", "--disable-gpu"] });
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

// sheet puts pictures of a phone beside each other.
async function sheet(name, pages) {
  const shots = [];
  for (const page of pages) {
    await page.evaluate(() => (scrollTo(0, 0), document.fonts.ready));
    shots.push((await page.screenshot()).toString("base64"));
    await page.close();
  }
  const page = await browser.newPage({ viewport: { width: pages.length * (phone.width + 20) + 20, height: phone.height + 40 } });
  await page.setContent(`<body style="margin:0;padding:20px;display:flex;gap:20px;background:#cfe6ea">${shots.map((s) => `<img src="data:image/png;base64,${s}">`).join("")}`);
  await page.screenshot({ path: dir + name + ".png" });
  await page.close();
}

for (const [name, viewport, path] of [["board", desk, "/board"], ["deliveries", desk, "/deliveries"], ["cold", desk, "/cold"], ["inspector", desk, "/records/inspector"], ["freshdays", desk, "/records/waste/fresh-days"], ["species", desk, "/records/species/haddock"], ["freezer", desk, "/cold/freezer"], ["thaw", desk, "/cold/thaw"], ["ageing", desk, "/cold/ageing"], ["service", desk, "/service"]]) await shoot(await open(viewport, path), name);

const bench = await open(desk, "/bench");
await bench.goto(base + (await bench.locator('a[href*="/bench/cut/"]', { hasText: "salmon" }).first().getAttribute("href")));
const put = async (field, value) => (await bench.locator(`[name="${field}"]`).fill(value), await bench.waitForTimeout(600));
const kg = Number((await bench.locator(".head .sum").innerText()).match(/([\d.]+) kg/)[1]);
const fish = Number((await bench.locator(".head .sum").innerText()).match(/(\d+) ×/)[1]);
if (fish > 1) await put("count", "1");
await put("weight_kg", (kg / fish).toFixed(2));
for (const [n, [part, share, to]] of [["fillet_skin_on", 0.59, "service"], ["belly", 0.05, "raw_bar"], ["collar", 0.04, "staff"], ["waste", 0.06]].entries()) {
  await bench.locator(`#add-${part}`).click();
  await bench.locator(`[name="part-${n}-kg"]`).waitFor();
  await put(`part-${n}-kg`, ((share * kg) / fish).toFixed(2));
  if (to) await bench.locator(`[name="part-${n}-to"]`).selectOption(to);
  await bench.waitForTimeout(700);
}
await bench.evaluate(() => scrollTo(0, 0));
await shoot(bench, "bench");

const receive = await open(desk, "/deliveries/receive");
await receive.getByLabel("Supplier", { exact: true }).fill("Skua Day-boat");
await receive.locator('[name="line-0-species"]').pressSequentially("mack");
await receive.locator(".found-item").first().waitFor();
await shoot(receive, "receive");

// inspect opens the inspection of the first such fish on the dock and chooses
// levels, fish after fish.
async function inspect(viewport, name, fish, boxes) {
  const page = await open(viewport, "/deliveries");
  const href = await page.locator("a.card-row[href$=inspect]", { hasText: fish }).first().getAttribute("href");
  await page.goto(base + href);
  for (const [n, levels] of boxes.entries()) {
    if (n > 0) await page.keyboard.press("n");
    await page.waitForTimeout(400);
    for (const level of levels) {
      await page.locator(".sign-now .level").nth(level - 1).click();
      await page.waitForTimeout(350);
    }
  }
  await page.evaluate(() => scrollTo(0, 0));
  await shoot(page, name);
}
await inspect(desk, "inspect", "Atlantic cod", [[2, 2, 1, 2, 2, 2, 3]]);

const failure = await open(desk, "/cold");
await failure.getByRole("link", { name: "Effect on the fish" }).first().click();
await failure.waitForTimeout(300);
await shoot(failure, "failure");
const place = await open(desk, "/cold/places/2?span=day");
await place.locator("#chart[data-drawn]").waitFor();
await shoot(place, "place");
const supplier = await open(desk, "/suppliers");
await supplier.locator("a.card-row", { hasText: "Fulmar Landing" }).click();
await shoot(supplier, "supplier");

const market = await open(phone, "/deliveries/market?species=Mackerel");
for (const [sign, level] of [["eyes", 0], ["gills", 1], ["smell", 0], ["press", 0], ["skin", 0]]) {
  await market.locator(`[name="sign-${sign}"][value="${level}"]`).check({ force: true });
  await market.waitForTimeout(300);
}
const board = await open(desk, "/board");
await board.locator(".lot-row", { hasText: "Coalfish" }).first().click();
await board.waitForTimeout(300);
await shoot(board, "lot");

const ownCatch = await open(phone, "/deliveries/own-catch");
await ownCatch.locator("a.card-row", { hasText: "Mackerel" }).first().click();
await ownCatch.waitForTimeout(300);

// A warm haddock waits for a manager.
const door = await open(phone, "/shift");
await door.getByRole("button", { name: /Bertil/ }).click();
await door.goto(base + "/k/harbour/deliveries/receive");
const dock = await door.locator('[name="place_id"] option, [name="all-place_id"] option, [name="line-0-place_id"] option', { hasText: "Dock" }).first().getAttribute("value");
const arrived = new Date().toLocaleString("sv", { timeZone: "Europe/Oslo" }).slice(0, 16).replace(" ", "T");
const note = await door.request.post(base + "/k/harbour/deliveries/receive", { form: { new_id: crypto.randomUUID(), lines: "1", action: "receive", supplier: "Skua Day-boat", arrived_at: arrived, "line-0-species": "Haddock", "line-0-form": "gutted", "line-0-count": "3", "line-0-weight_kg": "4.1", "line-0-core_celsius": "6.4", "line-0-ice": "melted", "line-0-place_id": dock } });
const warm = (await note.text()).split("<main")[1].match(/\/lots\/([0-9a-f-]{36})/)[1];
await door.goto(base + `/k/harbour/lots/${warm}/inspect`);
for (let n = 0; n < 9; n++) {
  await door.locator(".sign-now .level").first().tap().catch(() => door.locator(".sign-now .level").first().click());
  await door.waitForTimeout(300);
}
await door.getByLabel("Decision").selectOption("accept_cook");
await door.getByLabel(/^Reason/).fill("iced again at once, core at 1.4 °C now");
await door.getByRole("button", { name: /^Record/ }).click();
await door.getByRole("button", { name: "Put it on hold and ask" }).click();
await door.waitForURL(/label$/);
await door.goto(base + "/k/harbour/shift");
await door.getByRole("button", { name: /Ansa/ }).click();
await door.goto(base + "/k/harbour/approvals");
await sheet("phone-dock", [market, ownCatch, door]);

const check = await open(phone, "/cold/check");
const again = check.getByRole("link", { name: "Check again" });
if (await again.count()) await again.click();
await check.waitForTimeout(300);
const hours = await open(phone, "/board");
await hours.locator(".board-hours a").nth(1).click();
await hours.waitForTimeout(400);
await sheet("phone", [hours, check, await open(phone, "/lots/" + (await hours.locator(".lot-row[data-serves=raw] a").first().getAttribute("href")).split("/lots/")[1])]);


await browser.close();
