// Service: covers in, fish out. What is ordered and thawed for Friday, a reservation that falls, a deal that is refused, and a box that
// goes from one kitchen to the other.
import { api, check, event, expect, local, openAct, password, post, receiveAt, test } from "./help.js";

const minutes = (m) => Math.floor(Date.now() / 1000) + 60 * m;
const dish = (page, name) => page.locator(".pass-dish", { hasText: name });

// newDish adds a dish to the menu and returns its id.
async function newDish(page, fields) {
  const dish_id = crypto.randomUUID();
  await post(page, "/service/dishes", { dish_id, pieces: "1", served: "cook", cut: "90", ...fields });
  return dish_id;
}

// newService plans a service and returns its id; plates by the id of a dish.
async function newService(page, hours, plates) {
  const service_id = crypto.randomUUID();
  const typed = Object.fromEntries(Object.entries(plates).map(([id, n]) => [`plates-${id}`, String(n)]));
  await post(page, "/service/plan", { service_id, at: local(hours), covers: "40", covers_sd: "6", level: "0.9", ...typed });
  return service_id;
}

// hoursFor is an hour of a service that no other test has.
const hoursFor = (info, n) => 30 + 3 * n + (info.project.name === "phone" ? 30 : 0) + info.retry;

test("eighty covers end in an order and a thaw plan", { tag: "@phone" }, async ({ page, request }, info) => {
  const at = local(hoursFor(info, 0) + 42);
  const name = `Tusk with beans ${info.project.name}${info.retry}`;
  const { places } = await (await api(request, "GET", "/places")).json();
  const lot = await receiveAt(page, -3, { supplier: "Dunlin Fish Merchants", species: "Tusk", form: "fillet_skin_on", count: 20, weight: 4.4, core: -21, ice: "none", frozen: true, caught: 400 });
  await event(request, lot, "moved", -2.9, { place_id: places.find((p) => p.name === "Freezer").id });
  await newDish(page, { name, "species-1": "Tusk", part: "fillet_skin_on", piece_g: "170", price: "24" });
  await page.goto("/k/harbour/service");
  await page.getByRole("link", { name: "Plan a service" }).click();

  await test.step("guests and shares become plates as they are typed", async () => {
    await page.getByLabel("Begins").fill(at);
    await page.getByLabel("Guests", { exact: true }).fill("80");
    await page.getByLabel("give or take").fill("10");
    const row = (name) => page.locator(".plan-dishes li", { hasText: name });
    for (const input of await page.locator(".plan-dishes input").all()) await input.fill("");
    await row(name).getByLabel("Guests %").fill("25");
    await row("Plaice on the bone").getByLabel("Guests %").fill("40");
    await expect(row(name)).toContainText(/2\d plates: runs out one night in/);
    await check(page);
    await page.getByRole("button", { name: "Plan it" }).click();
  });

    await test.step("what is frozen is reserved, and its thaw planned back from the hour", async () => {
    const desk = page.locator(".pass-service", { hasText: "80 guests give or take 10" });
    await expect(desk).toBeVisible();
    await dish(desk, name).getByRole("button", { name: /^Reserve \d+/ }).click();
    await expect(dish(desk, name)).toContainText(/thaw planned|frozen/);
    await expect(dish(desk, name).getByRole("button", { name: /^Reserve/ })).toHaveCount(0);
    await check(page);
    await page.locator(".starts a", { hasText: "Plan the thaw" }).last().click();
    await expect(page.getByLabel("Portions")).toHaveValue(/^[1-9]\d?$/);
    await page.getByRole("button", { name: /^Save/ }).click();
    await expect(page).toHaveURL(/thaw\/plans\/[0-9a-f-]{36}/);
  });

  await test.step("what is missing is ordered, in whole fish, for a delivery that comes before it", async () => {
    await page.goto("/k/harbour/service/order");
    const line = page.locator(".ordering-line", { hasText: "Plaice on the bone" }).last();
    await expect(line).toContainText(/Comes .*, order by/);
    for (const other of await page.locator(".ordering-line", { hasNotText: "Plaice" }).getByLabel("Order it").all()) await other.uncheck();
    const fish = Number(await line.getByLabel("Fish").inputValue());
    expect(fish).toBeGreaterThan(20);
    await check(page);
    await page.getByRole("button", { name: "Place the orders" }).click();
    await expect(page.locator(".order-text")).toContainText(`Plaice, whole, ungutted: ${fish} pieces`);
    const href = await page.getByRole("link", { name: "PDF" }).getAttribute("href");
    const pdf = await page.request.get(href);
    expect(pdf.headers()["content-type"]).toBe("application/pdf");
    expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");
    const csv = await (await page.request.get(await page.getByRole("link", { name: "CSV" }).getAttribute("href"))).text();
    expect(csv).toContain(`,Plaice,Pleuronectes platessa,"Whole, ungutted",${fish},`);
    await page.getByRole("button", { name: "It was sent" }).click();
    await expect(page.locator(".sum")).toContainText("sent");
    await page.goto("/k/harbour/service/order");
    await expect(page.locator(".ordering-line", { hasText: `Plaice on the bone` })).toHaveCount(0);
  });
});

test("a walk-in that fails drops what was reserved raw, and the plan mends it", { tag: "@phone" }, async ({ page, request }, info) => {
  const name = `Pass room ${info.project.name}${info.retry || ""}`;
  for (const place of [name, name + " drawer"]) await post(page, "/cold/places", { name: place, kind: "walk_in", set: "1", capacity: "200" });
  const { places } = await (await api(request, "GET", "/places")).json();
  const room = places.find((p) => p.name === name).id;
  const drawer = places.find((p) => p.name === name + " drawer").id;
  const probe = async (n, place = room) => {
    const added = await post(page, "/cold/probes", { name: `${name}-${n}`.toLowerCase().replaceAll(" ", "-"), kind: "fixed", place_id: String(place), interval: "1", since: local(-48) });
    const path = new URL(added.url()).pathname.replace("/k/harbour", "");
    const secret = (await (await post(page, path + "/token", {})).text()).match(/class="token">([^<]+)</)[1];
    return async (from, to, c) => {
      const records = Array.from({ length: to - from }, (_, i) => ({ n: `${name}-${n}`.toLowerCase().replaceAll(" ", "-"), u: "Cel", t: minutes(from + i), v: c }));
      const answer = await request.post("/api/v1/readings", { headers: { Authorization: `Bearer ${secret}`, "Content-Type": "application/senml+json" }, data: JSON.stringify(records) });
      expect(answer.status(), await answer.text()).toBe(200);
    };
  };
  const species = { desk: ["Meagre", "Barramundi"], phone: ["Olive flounder", "Red sea bream"] }[info.project.name][info.retry]; // that nobody else has
  const dunlin = (await (await page.request.get("/k/harbour/suppliers")).text()).match(/suppliers\/(\d+)"[^>]*>(?:(?!suppliers\/)[^])*?Dunlin/)[1];
  const day = (n) => new Date(Date.now() + n * 24 * 3600_000).toISOString().slice(0, 10);
  await post(page, "/declarations", { new_id: crypto.randomUUID(), supplier: dunlin, kind: "farmed", species, reference: "D-99, signed for the farm", issued: day(-30), valid: day(300) });
  const good = await probe("air");
  await good(-300, 0, 0.6);
  await (await probe("drawer", drawer))(-300, 0, 0.5);
  const fillets = async (count = 12) => {
    const lot = await receiveAt(page, -4, { supplier: "Dunlin Fish Merchants", species, form: "fillet_skinless", count, weight: 0.16 * count, core: 0.7, caught: 20, origin: "farmed" });
    await event(request, lot, "inspected", -3.8, { scheme: "cutface", fish: Array(count).fill({ flesh_tone: 0, bloodline: 0, surface: 0, gaping: 0, press: 0, liquid: 0, smell: 0 }), decision: "accept" });
    return lot;
  };
  await event(request, await fillets(), "moved", -3.9, { place_id: room });
  await event(request, await fillets(4), "moved", -3.9, { place_id: drawer });
  const title = `Raw ${species} ${info.project.name}${info.retry}`;
  const raw = await newDish(page, { name: title, "species-1": species, part: "fillet_skinless", pieces: "6", piece_g: "15", served: "raw", price: "16" });
  const service = await newService(page, 5 + (info.project.name === "phone" ? 0.5 : 0) + 0.25 * info.retry, { [raw]: 20 });

  await test.step("all plates are reserved", async () => {
    await page.goto(`/k/harbour/service?one=${service}`);
    await dish(page, title).getByRole("button", { name: "Reserve 20" }).click();
    await expect(dish(page, title)).toContainText("20 of 20");
  });

  await test.step("the room was warm: the alarm line says that they fell, on any page", async () => {
    await page.goto("/k/harbour/board");
    await (await probe("wall"))(-80, 0, 9);
    await expect(page.locator(".alarm-line:visible, .alarm-sign:visible").first()).toBeVisible({ timeout: 20_000 });
    await expect(async () => {
      await page.goto(`/k/harbour/service/${service}/fix/${raw}`);
      await expect(page.getByText(/\d+ plates fell/)).toBeVisible({ timeout: 1000 });
    }).toPass({ timeout: 20_000 });
    await check(page);
  });

  await test.step("one tap books a way out, and the plan is whole again", async () => {
    await expect(page.locator(".fixes .card", { hasText: /Print \d+ plates/ })).toBeVisible();
    await event(request, await fillets(), "moved", -3.9, { place_id: drawer });
    await page.reload();
    await page.locator(".fixes .card", { hasText: /Reserve the \d+ that are free/ }).getByRole("button", { name: "Book it" }).click();
    await expect(page).toHaveURL(/service\?one=/);
    await expect(dish(page, title)).toContainText("20 of 20");
    await page.goto(`/k/harbour/service/${service}/fix/${raw}`);
    await expect(page.getByText("Nothing is missing any more.")).toBeVisible();
  });
});

test("a deal is bounded by the freezer", { tag: "@phone" }, async ({ page }) => {
  await page.goto("/k/harbour/deliveries/deal");
  await page.locator("#species").fill("Haddock");
  await page.getByLabel("As", { exact: true }).selectOption("Gutted, gills in");
  await page.getByLabel("Weight kg").fill("400");
  await page.getByLabel(/^Price a kilo/).fill("4,90");
  await page.getByLabel(/^You use a week/).fill("80");
  await expect(page.locator(".deal-word")).toHaveText(/Buy 1?\d\d\.\d kg, not 400/);
  await expect(page.locator(".deal-says")).toContainText(/Freezer (has room for|freezes)/);
  await expect(page.locator(".deal-says")).toContainText(/% (below|dearer than) the usual/);
  await check(page);
  await page.getByLabel("Weight kg").fill("20");
  await expect(page.locator(".deal-word")).toHaveText("Buy all of it: 20.0 kg");
});

test("a box from Harbour to Mill keeps its clock", { tag: "@phone" }, async ({ page, request, browser }) => {
  test.setTimeout(240_000);
  const lot = await receiveAt(page, -3, { supplier: "Skua Day-boat", species: "Mackerel", form: "whole", count: 12, weight: 4.8, core: 1.4, caught: 4, price: 5 });
  const { places } = await (await api(request, "GET", "/places")).json();
  await event(request, lot, "moved", -2.9, { place_id: places.find((p) => p.name === "Fish drawer").id });
  await event(request, lot, "temperature", -2.5, { celsius: 1.1 });
  await page.goto(`/k/harbour/lots/${lot}`);
  await page.locator("summary", { hasText: "Explain missing hours" }).click();
  await page.getByLabel("What happened, and how it is known").fill("In ice on deck within the hour, by the boat's log");
  await page.getByRole("button", { name: "Save the explanation" }).click();
  await expect(page.locator(".events")).toContainText("Missing hours explained");
  const answer = await (await api(request, "GET", `/lots/${lot}`)).json();
  const share = (l) => l.histamine_share;

  await test.step("half of it is sent, in ice", async () => {
    await page.goto(`/k/harbour/lots/${lot}`);
    await openAct(page, "Send to another kitchen");
    const form = page.locator(".log-form[open]");
    await form.getByLabel("To").selectOption("Mill");
    await form.getByLabel("Count").fill("6");
    await form.getByRole("radio", { name: "in ice all around" }).check();
await form.getByRole("button", { name: "Send to another kitchen" }).click();
    await expect(page.locator(".events")).toContainText(/6 pieces.* to Mill, in ice all around/);
    await expect(page.locator("main").first()).toContainText("6 × Whole");
  });

  const context = await browser.newContext({ viewport: page.viewportSize() });
  const fenja = await context.newPage();
  await fenja.goto(new URL("/sign-in?next=/k/mill/deliveries", page.url()).href);
  await fenja.getByLabel("User name").fill("fenja");
  await fenja.getByLabel("Password").fill(password());
  await fenja.getByRole("button", { name: "Sign in", exact: true }).click();

  await test.step("at Mill it is on its way, and fit for nothing before its core is measured", async () => {
    const coming = fenja.locator(".card-row", { hasText: "on its way from Harbour" }).filter({ hasText: "Mackerel" });
    await expect(async () => {
      await fenja.goto(new URL("/k/mill/deliveries", page.url()).href);
      await expect(coming.first()).toBeVisible({ timeout: 1000 });
    }).toPass({ timeout: 90_000 });
    await coming.first().click();
    await expect(fenja.locator(".sum")).toContainText("Its clocks came along");
    await fenja.getByRole("button", { name: "Receive" }).click();
    await expect(fenja.locator("form.card")).toContainText("look: does it still lie in ice all around?");
    await fenja.getByLabel("Core temperature").fill("0.9");
    await fenja.getByRole("radio", { name: "ice all around" }).check();
    await fenja.getByLabel("Goes to").selectOption("Fish drawer");
    await check(fenja);
    await fenja.getByRole("button", { name: "Receive" }).click();
    await expect(fenja).toHaveURL(/\/lots\/[0-9a-f-]{36}$/);
  });

  await test.step("its clock says there what it said here", async () => {
    const id = fenja.url().split("/").pop();
    await fenja.goto(new URL("/k/harbour/board", page.url()).href); // Harbour is none of Fenja's
    const there = await (await fenja.request.get(new URL(`/api/v1/lots/${id}?site=mill`, page.url()).href)).json();
    expect(there.species).toBe("mackerel");
    expect(there.count).toBe(6);
    expect(Math.abs(share(there) - share(answer))).toBeLessThan(0.02);
    await fenja.goto(new URL(`/k/mill/lots/${id}`, page.url()).href);
    await expect(fenja.locator("main").first()).toContainText("Came from Harbour");
    await expect(fenja.locator(".events")).toContainText("from Harbour, where it was");
  });
  await context.close();
});
