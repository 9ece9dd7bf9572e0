// The ager: a sea bream through twelve days, ahead of its curve because the air
// turned dry; a tired fish that the gate does not let in; a cabinet too warm for
// too long.
import { api, event, expect, local, post as sendForm, receive, receiveAt, takeShift, test, settled } from "./help.js";

let n = 0;
const name = (what, info) => `${what} ${info.project.name} ${Date.now() % 100000}${n++}`;

// cabinet makes an ager with a probe and a hygrometer, and sends what they read:
// celsius and rh are functions of the hours from now.
async function cabinet(page, request, info, hours, celsius, rh) {
  const ager = name("Ager", info);
  const post = (path, form) => sendForm(page, path, form);
  expect((await post("/cold/places", { name: ager, kind: "ager", set: "1.5", capacity: "40" })).ok()).toBe(true);
  const { places } = await (await api(request, "GET", "/places")).json();
  const place = String(places.find((p) => p.name === ager).id);
  const air = ager.toLowerCase().replaceAll(" ", "-"), moist = air + "-rh";
  const since = local(-hours - 24);
  expect((await post("/cold/probes", { name: air, kind: "fixed", place_id: place, interval: "30", since })).ok()).toBe(true);
  expect((await post("/cold/probes", { name: moist, kind: "hygrometer", place_id: place, interval: "30", since })).ok()).toBe(true);
  const pack = [];
  for (let h = -hours; h < 0; h += 0.5) {
    const t = Math.floor(Date.now() / 1000 + h * 3600);
    pack.push({ n: air, u: "Cel", t, v: celsius(h) }, { n: moist, u: "%RH", t, v: rh(h) });
  }
  const sent = await api(request, "POST", "/readings", { headers: { "Content-Type": "application/senml+json" }, data: JSON.stringify(pack) });
  const answer = await sent.json();
  expect(answer.stored, JSON.stringify(answer)).toBe(pack.length);
  return place;
}

// prepare ticks all that is to be done before a fish is hung.
async function prepare(page) {
  for (const box of await page.locator('[name="prep"]').all()) await box.check();
}

// ask fills in what a fish is hung by, and waits until the check says what it makes of all that.
async function ask(page, typed = {}) {
  const form = page.locator("form.plan");
  if (!(await form.locator('[name="place_id"]').inputValue())) await form.locator('[name="place_id"]').selectOption({ label: "Ager" });
  if (!(await form.locator('[name="school"]:checked').count())) await form.getByRole("radio", { name: "Long age" }).check();
  await form.locator('[name="hanging"]').selectOption({ index: 1 });
  await form.locator('[name="kg"]').fill(typed.kg ?? "1.7");
  if (typed.target) await form.locator('[name="target"]').fill(typed.target);
  await expect(page.getByRole("heading", { name: /^May it be aged/ })).toBeVisible();
  await settled(page);
}

const weigh = (page) => page.locator("section", { has: page.getByRole("heading", { name: "Weigh", exact: true }) });

test("a sea bream through twelve days: ahead of its curve, asked about once, taken down", { tag: "@phone" }, async ({ page, request }, info) => {
  await takeShift(page, "Ansa");
  const days = 12.2;
  // After the sixth day the humidifier is empty.
  const place = await cabinet(page, request, info, 24 * (days + 1), () => 1.5, (h) => (h > -24 * 6.2 ? 68 : 80));
  const id = await receiveAt(page, -(24 * days + 4), { species: "Sea bream", form: "gutted_gills_out", count: 8, weight: 14.4, core: 0.6, ice: "well_iced", caught: 10 });
  await event(request, id, "inspected", -24 * days - 3, { scheme: "demerit20", fish: Array(8).fill({ skin: 0, blood_spots: 0, stiffness: 0, belly: 0, smell: 0, eye_clarity: 0, eye_shape: 0 }), decision: "accept" });

  await page.goto(`/k/harbour/cold/ageing/start?lot=${id}&place_id=${place}`);
  await prepare(page);
  await page.getByLabel(/^Cost/).fill("14.50");
  await page.getByLabel(/^When/).fill(local(-24 * days));
  await ask(page, { kg: "1.8", target: "10" });
  await expect(page.locator(".gate-hard")).toHaveCount(0);
  const soft = page.locator(".gate-soft");
  if ((await soft.count()) > 0) await page.getByLabel(/^Why it may be aged all the same/).fill("eight looked at, all stiff");
  await settled(page);
  await page.getByRole("button", { name: /^Start ageing 1.80 kg/ }).click();
  await expect(page).toHaveURL(/\/ageing$/);
  const address = page.url();
  await expect(page.locator(".age-figures")).toContainText("Target of 10 %");

  // What the scale says in that air: the pace of the reference, dried twelve days.
  const pace = 0.012 * Math.cbrt(3 / 1.8), lc = 0.1 * Math.cbrt(3 / 1.8);
  const ps = (c) => 0.61094 * Math.exp((17.625 * c) / (c + 243.04));
  const air = (rh) => (ps(1.5) * (1 - rh)) / (ps(2) * 0.2);
  const kg = (day) => {
    const x = Math.min(day, 6) * air(0.8) + Math.max(0, day - 6) * air(0.68);
    return 1.8 * (1 - lc * (Math.sqrt(1 + (2 * pace * x) / lc) - 1));
  };
  const put = async (day, value, when) => {
    await page.goto(address);
    await weigh(page).getByLabel(/^Weight/).fill(value);
    await weigh(page).getByLabel(/^When/).fill(local(-24 * days + 24 * day + (when ?? 0)));
    await weigh(page).getByRole("button", { name: "Weigh" }).click();
  };
  for (const day of [1, 2, 4, 6, 8]) {
    await put(day, kg(day).toFixed(3));
    await expect(weigh(page).getByLabel(/^Weight/)).toHaveValue("");
  }
  await expect(page.locator(".age-figures")).toContainText("ahead of its curve");

  // Another fish on the hook: asked about, and set aside.
  await put(9, "1.31");
  await expect(weigh(page).locator(".error").first()).toContainText("another fish on the hook");
  await expect(weigh(page).getByLabel(/^Weight/)).toHaveValue("1.31");
  await weigh(page).getByLabel("Why", { exact: true }).fill("the fish of hook two");
  await weigh(page).getByLabel("Set it aside").check();
  await weigh(page).getByRole("button", { name: "Weigh" }).click();
  await expect(page.getByText("set aside: the fish of hook two")).toBeVisible();
  await put(11, kg(11).toFixed(3));
  await expect(weigh(page).getByLabel(/^Weight/)).toHaveValue("");
  const told = (await (await api(request, "GET", "/lots/" + address.split("/").at(-2))).json()).weight_kg;
  expect(told).toBeCloseTo(kg(11), 2);

  const look = page.locator("section", { has: page.getByRole("heading", { name: "Look, smell, touch" }) });
  await look.getByRole("button", { name: "Save the check" }).click();
  await expect(look.locator(".error").first()).toContainText("choose one");
  for (const sign of ["smell", "skin", "cavity", "mould", "press"]) await page.locator(`[name="sign-${sign}"][value="fine"]`).check({ force: true });
  await look.getByRole("button", { name: "Save the check" }).click();
  await expect(page.getByText("all fine")).toBeVisible();

  const down = page.locator("section", { has: page.getByRole("heading", { name: "Take out" }) });
  await down.getByLabel(/^Fish/).fill(kg(12.2).toFixed(2));
  await down.getByLabel(/^Crust/).fill("0.09");
  await down.getByLabel(/^Usable/).fill("2.4");
  await down.getByLabel("Goes to").selectOption({ label: "Fish drawer" });
  await down.getByRole("button", { name: "Take out" }).click();
  await expect(page.locator(".age-do .error").first()).toContainText("no more than the fish");
  await expect(down.getByLabel(/^Crust/)).toHaveValue("0.09");
  await down.getByLabel(/^Usable/).fill("0.8");
  await down.getByRole("button", { name: "Take out" }).click();
  await expect(page.getByRole("heading", { name: /^Taken out/ })).toContainText("usable 0.80 kg");
  const lot = await (await api(request, "GET", "/lots/" + address.split("/").at(-2))).json();
  expect(lot.stops).toEqual([]);
  expect(lot.fitness.find((u) => u.id === "raw").ok).toBe(false);
  expect(lot.fitness.find((u) => u.id === "cook").ok).toBe(true);
});

test("a tired fish is refused at the gate, and a histamine former for good", async ({ page }) => {
  await takeShift(page, "Bertil");
  const card = await receive(page, { species: "Sea bream", form: "gutted", count: 1, weight: 1.7, caught: 24 * 4 });
  await page.goto("/k/harbour/cold/ageing/start?lot=" + card.split("/").pop());
  await prepare(page);
  await ask(page);
  await expect(page.locator(".gate-soft", { hasText: "Age" })).toContainText("the first third of its life");
  await page.getByLabel(/^Why it may be aged all the same/).fill("it looks fine to me");
  await settled(page);
  await page.getByRole("button", { name: /^Start ageing/ }).click();
  await expect(page.getByText("only a manager may override this")).toBeVisible();
  await page.getByRole("link", { name: "Not now" }).click();
  await expect(page).toHaveURL(/cold\/ageing\/start/);

  const mackerel = await receive(page, { species: "Mackerel", form: "gutted_gills_out", count: 2, weight: 1.4, caught: 10 });
  await page.goto("/k/harbour/cold/ageing/start?school=long_age&lot=" + mackerel.split("/").pop());
  await prepare(page);
  await ask(page);
  await expect(page.getByRole("heading", { name: "May it be aged? No" })).toBeVisible();
  await expect(page.locator(".gate-hard").first()).toBeVisible();
  await expect(page.getByRole("button", { name: /^Start ageing/ })).toHaveCount(0);
});

test("a cabinet too warm for too long ends the ageing", async ({ page, request }, info) => {
  await takeShift(page, "Ansa");
  const place = await cabinet(page, request, info, 24 * 4, (h) => (h > -9 && h < -5.4 ? 6.5 : 1.5), () => 79);
  const id = await receiveAt(page, -(24 * 3), { species: "Atlantic salmon", form: "gutted_gills_out", count: 1, weight: 4.2, core: 0.6, ice: "well_iced", caught: 20 });
  await page.goto(`/k/harbour/cold/ageing/start?lot=${id}&place_id=${place}`);
  await prepare(page);
  await page.getByLabel(/^When/).fill(local(-24 * 2.5));
  await ask(page);
  const opened = page.getByLabel(/^Why it may be aged all the same/);
  if (await opened.count()) await opened.fill("slaughter day on the box");
  await settled(page);
  await page.getByRole("button", { name: /^Start ageing/ }).click();
  await expect(page).toHaveURL(/\/ageing$/);
  await expect(page.getByRole("heading", { name: /^Take it out: cabinet above 4 °C for 3\.\d h, up to 6\.5 °C/ })).toBeVisible();
  await page.goto("/k/harbour/cold/ageing");
  await expect(page.locator("tr", { hasText: "take out" }).first()).toContainText("cabinet above 4 °C");
  await page.goto("/k/harbour/due");
  await expect(page.locator("a.card-row", { hasText: "Take out" }).first()).toContainText("cabinet above 4 °C");
});
