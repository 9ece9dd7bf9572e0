// Who may do what: the shared tablet, the lent PIN, the lock-out, the auditor,
// and the other kitchen.
import { execFileSync } from "node:child_process";
import { api, check, choose, expect, fillLine, openAct, password, receive, takeShift, test } from "./help.js";

const PIN = "7294";

// quiet puts the last touch of all sessions back by an hour: no test waits so long.
const quiet = (info) =>
  execFileSync("psql", ["-q", process.env.LEANCATCH_TEST_DB.replace("/postgres?", `/e2e-${info.parallelIndex}?`), "-c", "update session set seen_at = seen_at - interval '1 hour'"]);

// withPIN signs somebody in on the tablet.
async function withPIN(page, name, pin = PIN) {
  await page.locator(".name-pick", { hasText: name }).click();
  for (const digit of pin) await page.locator(`[data-pin="${digit}"]`).click();
  await page.getByRole("button", { name: "Sign in", exact: true }).click();
}

// enrol makes the browser a shared tablet of the Harbour kitchen.
async function enrol(page, name) {
  await page.goto("/k/harbour/people");
  await page.getByLabel("Make this device a shared tablet").fill(name);
  await page.getByRole("button", { name: "Enrol" }).click();
  await expect(page.getByRole("heading", { name: "Who is it?" })).toBeVisible();
}

const onShift = (page, name) => expect(page.getByRole("link", { name: `On shift: ${name}` })).toBeVisible();

// warm receives fish too warm to be accepted, and opens its inspection.
async function warm(page, phone) {
  const card = await receive(page, { species: "European whiting", core: 7.4 });
  await page.goto(card + "/inspect?scheme=quick");
  await choose(page, [0, 0, 0, 0, 0], phone);
  await page.getByLabel("Decision").selectOption("accept_cook");
  await page.getByLabel(/^Reason/).fill("goes to the pan within the hour");
  return card;
}

test("a tablet is enrolled, two people share a shift, and each signs what they did", { tag: "@phone" }, async ({ page }, info) => {
  const name = `Dock tablet ${info.project.name}${info.retry}`;
  await enrol(page, name);
  await check(page);
  await withPIN(page, "Cato");
  await expect(page).toHaveURL(/board$/);
  await onShift(page, "Cato");
  const card = await receive(page, { species: "Ling" });
  await page.getByRole("link", { name: "On shift: Cato" }).click();
  await page.getByRole("link", { name: "Hand over" }).click();
  await withPIN(page, "Dunja");
  await onShift(page, "Dunja");
  await page.goto(card);
  await openAct(page, "Move");
  await page.locator(".log-form[open] label", { hasText: "Walk-in" }).click();
  await page.locator(".log-form[open] button").click();
  await expect(page.locator(".events")).toContainText("to Walk-in");
  await expect(page.locator(".events")).toContainText("Cato");
  await expect(page.locator(".events")).toContainText("Dunja");
  // Crew neither sees nor opens what is a manager's.
  await page.goto("/k/harbour/records");
  await expect(page.getByRole("link", { name: "People" })).toHaveCount(0);
  expect((await page.goto("/k/harbour/people")).status()).toBe(403);
  // A manager revokes the tablet from elsewhere: it is nobody's at once.
  const office = await page.context().browser().newContext();
  const desk = await office.newPage();
  await desk.goto("/k/harbour/people");
  await desk.locator(".line-between", { hasText: name }).first().getByRole("button", { name: "Revoke" }).click();
  await expect(desk.locator(".line-between", { hasText: name })).toHaveCount(0);
  await page.goto("/k/harbour/board");
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await office.close();
});

test("signed out in the middle of a form: a wrong PIN, then the right one, and it goes on", { tag: "@phone" }, async ({ page, context }, info) => {
  await enrol(page, `Form tablet ${info.project.name}${info.retry}`);
  await withPIN(page, "Cato");
  await onShift(page, "Cato");
  await page.goto("/k/harbour/deliveries/receive");
  await page.getByLabel("Supplier", { exact: true }).fill("Fulmar Landing");
  await fillLine(page, 0, { species: "Pollack", form: "gutted", count: 2, weight: 3.4, core: 0.9, ice: "well_iced" });
  await context.clearCookies({ name: "lc_session" }); // the session is gone, the tablet is still the kitchen's
  await page.getByRole("button", { name: "Receive 1 lot" }).click();
  await expect(page.getByRole("heading", { name: /Nobody is signed in any more/ })).toBeVisible();
  const signIn = async (pin) => {
    await page.locator(".name-pick", { hasText: "Dunja" }).click();
    for (const digit of pin) await page.locator(`[data-pin="${digit}"]`).click();
    await page.getByRole("button", { name: /^Sign in/ }).click();
  };
  await signIn("1111");
  await expect(page.getByRole("alert").first()).toBeVisible();
  await signIn(PIN);
  await expect(page).toHaveURL(/deliveries\/[0-9a-f-]{36}/);
  await onShift(page, "Dunja");
  await expect(page.locator("main")).toContainText("3.40 kg");
});

test("a manager lends a PIN for a hard stop, and the first one's session goes on", { tag: "@phone" }, async ({ page }, info) => {
  await enrol(page, `Bench tablet ${info.project.name}${info.retry}`);
  await withPIN(page, "Cato");
  await warm(page, info.project.name === "phone");
  await page.getByRole("button", { name: /^Record/ }).click();
  await expect(page.getByRole("heading", { name: "This needs a manager" })).toBeVisible();
  await expect(page.getByText("a hard stop is overridden only by a manager")).toBeVisible();
  await check(page);
  await page.locator(".name-pick", { hasText: "Ansa" }).click();
  await page.locator("#ask-secret").fill("1111");
  await page.getByRole("button", { name: "Approve" }).click();
  await expect(page.getByRole("alert")).toContainText("That is not right");
  await page.locator("#ask-secret").fill(PIN);
  await page.getByRole("button", { name: "Approve" }).click();
  await expect(page.locator(".events")).toContainText("goes to the pan within the hour"); // what was typed went along
  await expect(page.locator(".events")).toContainText("Cato, approved by Ansa");
  await onShift(page, "Cato");
  // The word was for that one act.
  await warm(page, info.project.name === "phone");
  await page.getByRole("button", { name: /^Record/ }).click();
  await expect(page.getByRole("heading", { name: "This needs a manager" })).toBeVisible();
  await page.getByRole("link", { name: "Not now" }).click();
  await expect(page).toHaveURL(/inspect/);
});

test("quiet for long: the tablet asks again, and a form waits with what was typed", async ({ page }, info) => {
  await page.goto("/k/harbour/people");
  await page.getByLabel("Tablets ask again after").fill("0");
  await page.locator("form[action$='/devices/lock']").getByRole("button").click();
  await expect(page.getByText("is 1 to 120 minutes")).toBeVisible();
  await enrol(page, `Quiet tablet ${info.project.name}${info.retry}`);
  await withPIN(page, "Dunja");
  const card = await receive(page, { species: "Pollack" });
  await page.goto(card);
  await openAct(page, "Hold");
  await page.locator(".log-form[open] [name=reason]").fill("label is torn");
  quiet(info); // the clock of a test does not wait: the last touch is put back
  await page.locator(".log-form[open] button").click();
  await expect(page.getByRole("heading", { name: "Nothing was touched for a while: is it still you, Dunja?" })).toBeVisible();
  await page.locator("#ask-secret").fill(PIN);
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page.locator(".events")).toContainText("label is torn");
  quiet(info);
  await page.goto("/k/harbour/cold");
  await page.locator("#ask-secret").fill(PIN);
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page).toHaveURL(/\/cold$/);
});

test("five wrong PINs lock, for the right one too, until a manager unlocks", async ({ page }, info) => {
  await enrol(page, `Lock tablet ${info.project.name}${info.retry}`);
  for (let n = 0; n < 5; n++) {
    await withPIN(page, "Bertil", "8315");
    await expect(page.getByRole("alert")).toContainText(n < 4 ? "That is not right" : "Locked after too many failures");
  }
  await withPIN(page, "Bertil");
  await expect(page.getByRole("alert")).toContainText("Locked after too many failures, until");
  await withPIN(page, "Cato"); // the others go on
  await onShift(page, "Cato");

  const office = await page.context().browser().newContext();
  const desk = await office.newPage();
  await desk.goto("/sign-in");
  await desk.getByLabel("User name").fill("ansa");
  await desk.getByLabel("Password").fill("not this one at all");
  await desk.getByRole("button", { name: "Sign in", exact: true }).click();
  await expect(desk.getByRole("alert")).toContainText("That is not right");
  await expect(desk.getByLabel("User name")).toHaveValue("ansa");
  await desk.getByLabel("Password").fill(password());
  await desk.getByRole("button", { name: "Sign in", exact: true }).click();
  await onShift(desk, "Ansa");
  await desk.goto("/k/harbour/people");
  const bertil = desk.locator(".member", { hasText: "Bertil" });
  await expect(bertil).toContainText("locked until");
  await bertil.locator("summary").click();
  await bertil.getByRole("button", { name: "Unlock" }).click();
  await expect(bertil).not.toContainText("locked until");
  await office.close();

  await page.goto("/sign-in");
  await withPIN(page, "Bertil");
  await onShift(page, "Bertil");
});

test("the auditor reads all, writes nothing, and sees what was refused", async ({ page, request }, info) => {
  await takeShift(page, "Bertil");
  expect((await page.goto("/k/harbour/tokens")).status()).toBe(403);
  await takeShift(page, "Gyda");
  await page.goto("/k/harbour/deliveries");
  const lot = await page.locator("a.card-row[href*='/lots/']").first().getAttribute("href");
  const refused = await page.request.post(lot + "/events/held", { form: { reason: "never" } });
  expect(refused.status()).toBe(403);
  await page.goto("/k/harbour/records");
  await page.getByRole("link", { name: "Audit" }).click();
  await expect(page.locator("tbody tr").first()).toContainText("Gyda");
  await expect(page.locator("tbody tr").first()).toContainText("refused");
  await check(page);
  await page.getByLabel("What happened").selectOption("refused");
  await page.getByRole("button", { name: "Show" }).click();
  await expect(page.locator("tbody")).toContainText("GET /k/:site/tokens");
  await expect(page.locator("tbody")).not.toContainText("signed in");
  await page.getByRole("button", { name: "Verify the records" }).click();
  await expect(page.getByRole("status")).toContainText("entries are whole, in order and unaltered");
  // A token that reads, made by the manager, shown once.
  await takeShift(page, "Ansa");
  await page.goto("/k/harbour/tokens");
  const name = `sheet ${info.project.name}${info.retry}`;
  await page.getByLabel("What for").fill(name);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.getByText("choose what it may do")).toBeVisible();
  await expect(page.getByLabel("What for")).toHaveValue(name);
  await page.getByLabel("read: see lots").check();
  await page.getByRole("button", { name: "Make it" }).click();
  const headers = { Authorization: `Bearer ${await page.locator("code.token").textContent()}` };
  expect((await request.get("/api/v1/lots", { headers })).status()).toBe(200);
  expect((await request.post("/api/v1/readings", { headers, data: [] })).status()).toBe(403);
  await page.goto("/k/harbour/tokens");
  await expect(page.locator("code.token")).toHaveCount(0);
  await page.locator(".line-between", { hasText: name }).getByRole("button", { name: "Revoke" }).click();
  await expect(page.locator(".line-between", { hasText: name })).toHaveCount(0);
  expect((await request.get("/api/v1/lots", { headers })).status()).toBe(401);
});

test("the other kitchen's data is out of reach, and its owner's one tap away", async ({ page, request }, info) => {
  await page.goto("/k/harbour/board");
  const lot = (await page.locator(".lot-row > a").first().getAttribute("href")).split("/").pop();
  const context = await page.context().browser().newContext();
  const fenja = await context.newPage();
  const signIn = async (name) => {
    await fenja.goto("/sign-in?next=/k/harbour/board");
    await fenja.getByLabel("User name").fill(name);
    await fenja.getByLabel("Password").fill(password());
    await fenja.getByRole("button", { name: "Sign in", exact: true }).click();
  };
  await signIn("fenja");
  await expect(fenja).toHaveURL(/\/k\/mill\/board$/);
  for (const path of ["/k/harbour/board", `/k/harbour/lots/${lot}`, `/k/mill/lots/${lot}`, `/k/mill/lots/${lot}/inspect`, `/k/mill/lots/${lot}/exposure`, "/k/nowhere/board"])
    expect((await fenja.goto(path)).status(), path).toBe(404);
  expect((await fenja.request.get(`/api/v1/lots/${lot}`)).status()).toBe(404);
  expect((await fenja.request.get("/api/v1/lots?site=harbour")).status()).toBe(401);
  const written = await fenja.request.post(`/k/mill/lots/${lot}/events/held`, { form: { event_id_new: crypto.randomUUID(), seen: "1", reason: "never" } });
  expect(written.status()).toBe(404);
  await expect.poll(async () => (await (await api(request, "GET", `/lots/${lot}`)).json()).hold).not.toBe("never");
  await fenja.goto("/k/mill/shift");
  await fenja.getByRole("button", { name: "Sign out" }).click();
  await signIn("eskil");
  await expect(fenja).toHaveURL(/\/k\/harbour\/board$/);
  await fenja.goto("/k/harbour/shift");
  await fenja.getByRole("navigation", { name: "Kitchens" }).getByRole("link", { name: "Mill" }).click();
  await expect(fenja).toHaveURL(/\/k\/mill\/board$/);
  await context.close();
});
