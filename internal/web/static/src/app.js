// Keys, the number pad and the steps of an inspection. Everything works without
// this file; it makes it quick.
"use strict";
document.documentElement.classList.add("js");

const typing = (el) => el && (el.matches("input:not([type=radio]):not([type=checkbox]), textarea, select") || el.isContentEditable);

// Keys of the whole application.
document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  const el = document.activeElement;
  if (e.key === "Escape") {
    if (typing(el)) el.blur();
    document.querySelectorAll(".found").forEach((f) => f.replaceChildren());
    const open = document.querySelector("details[name=log][open]");
    if (open) open.open = false;
    else if (!typing(el) && !document.querySelector("dialog[open]")) {
      e.preventDefault(); // the same key must not close the question it brings up
      document.querySelector("a.back, .tabs a:first-child:not([aria-current])")?.click();
    }
    return;
  }
  if (typing(el) || document.querySelector("dialog[open]")) return;
  if (inspectKey(e)) {
    e.preventDefault();
    return;
  }
  if (e.key === "/") {
    e.preventDefault();
    document.getElementById("find")?.focus();
    return;
  }
  if (e.key === "?") {
    document.getElementById("keys")?.showModal();
    return;
  }
  const link = document.querySelector(`[data-key="${CSS.escape(e.key)}"]`);
  if (link && !document.querySelector("form.inspect")) link.click();
  else if (e.key === "r" && document.body.matches("[data-writes]")) location.href = document.body.dataset.base + "/deliveries/receive";
});

// A found species or lot fills its field, or is followed.
document.addEventListener("click", (e) => {
  const fill = e.target.closest("[data-fill]");
  if (fill) {
    const input = document.getElementById(fill.dataset.fill);
    input.value = fill.value;
    fill.parentElement.replaceChildren();
    nextField(input)?.focus();
    input.dispatchEvent(new Event("change", { bubbles: true }));
    return;
  }
  if (!e.target.closest(".found") && !e.target.matches("[hx-target]")) document.querySelectorAll(".found").forEach((f) => f.replaceChildren());
});
// It is gone once somebody goes on to another field.
document.addEventListener("focusin", (e) => {
  const here = e.target.closest(".field, .find");
  for (const found of document.querySelectorAll(".found")) if (!here?.contains(found)) found.replaceChildren();
  // What several fish are called, or none: who comes back to it finds those that may be meant.
  if (e.target.matches("[hx-trigger^=asked][aria-invalid=true]") && !here.querySelector(".found-item")) htmx.trigger(e.target, "asked");
});
document.addEventListener("keydown", (e) => {
  const field = e.target.closest?.(".field, .find");
  const found = field?.querySelector(".found");
  if (!found?.children.length || !["ArrowDown", "ArrowUp", "Enter", "Tab"].includes(e.key)) return;
  const items = [...found.children];
  const at = items.indexOf(document.activeElement);
  if ((e.key === "Enter" || e.key === "Tab") && at < 0 && items[0].dataset.fill) {
    const meant = items.find((i) => i.matches("[data-meant]")); // else the person has to say which
    if (e.key === "Enter") e.preventDefault();
    if (meant) meant.click();
    else if (e.key === "Enter") items[0].focus();
    field.dataset.asked = e.key === "Enter" && !meant ? "1" : "";
  } else if (e.key === "ArrowDown") {
    e.preventDefault();
    items[Math.min(at + 1, items.length - 1)].focus();
  } else if (e.key === "ArrowUp") {
    e.preventDefault();
    (at > 0 ? items[at - 1] : field.querySelector("input")).focus();
  }
});

// The answer to the last letters may come after Enter: the question stays.
document.addEventListener("htmx:afterSwap", (e) => {
  const field = e.target.closest(".field, .find");
  if (!e.target.matches(".found") || !field?.dataset.asked) return;
  field.dataset.asked = "";
  e.target.firstElementChild?.focus();
});

// Without a connection nothing is found: what is typed in full counts all the same.
document.addEventListener("htmx:sendError", (e) => {
  const found = e.target.closest?.(".field, .find")?.querySelector(".found");
  if (!found) return;
  const p = document.createElement("p");
  p.className = "quiet";
  p.setAttribute("role", "status");
  p.textContent = "There is no connection: type the whole name.";
  found.replaceChildren(p);
});

// A button that fills a field with a usual value.
document.addEventListener("click", (e) => {
  const set = e.target.closest("[data-set]");
  if (!set) return;
  const field = document.getElementById(set.dataset.set);
  field.value = set.value;
  field.dispatchEvent(new Event("change", { bubbles: true }));
});

// A tap on a part of a drawing presses its button.
document.addEventListener("click", (e) => {
  const button = document.getElementById(e.target.closest("[data-press]")?.dataset.press);
  if (!button) return;
  e.preventDefault();
  button.click();
});

function nextField(el) {
  const all = [...el.form.querySelectorAll("input:not([type=hidden]), select, textarea, button")].filter(
    (x) => x.tabIndex >= 0 && x.offsetParent && !x.matches(".remove, .found-item"),
  );
  return all[all.indexOf(el) + 1];
}

// The number pad types into the number field that had the focus last.
let numberField = null;
document.addEventListener("focusin", (e) => {
  if (e.target.matches?.("input.num")) numberField = e.target;
});
document.addEventListener("pointerdown", (e) => {
  if (e.target.closest("[data-pad]")) e.preventDefault();
});
document.addEventListener("click", (e) => {
  const key = e.target.closest("[data-pad]")?.dataset.pad;
  if (!key) return;
  if (!numberField?.isConnected) numberField = document.querySelector(".line input.num, .places-check input.num");
  if (!numberField) return;
  numberField.focus();
  if (key === "next") {
    goOn(numberField);
    return;
  }
  if (key === "⌫") numberField.value = numberField.value.slice(0, -1);
  else if (key === "−") numberField.value = numberField.value.startsWith("-") ? numberField.value.slice(1) : "-" + numberField.value;
  else numberField.value += key;
  numberField.dispatchEvent(new Event("input", { bubbles: true }));
  // A temperature is read to a tenth: with that, a list of places goes on by itself.
  if (numberField.form.matches("[data-jump]") && /^[-−]?\d+[.,]\d$/.test(numberField.value) && nextNumber(numberField)) goOn(numberField);
});
const numbers = (form) => [...form.querySelectorAll("input.num")].filter((n) => n.offsetParent && !n.closest("details"));
const nextNumber = (field) => numbers(field.form)[numbers(field.form).indexOf(field) + 1];
// On to the next number; in a list that is signed, after the last one, the signature.
function goOn(field) {
  const next = nextNumber(field) ?? (field.form.matches("[data-jump]") ? null : nextField(field));
  if (next) next.focus();
  else if (field.form.querySelector(".check-count")) field.blur(), field.form.querySelector(".check-count").scrollIntoView({ block: "start" });
  else field.form.requestSubmit();
}
document.addEventListener("focusin", (e) => {
  const form = e.target.closest?.("form[data-jump]");
  if (!form) return;
  const last = e.target.matches("input.num") && !nextNumber(e.target);
  const next = form.querySelector(".pad-next");
  if (next) next.textContent = last && !form.querySelector(".check-count") ? "Sign" : last ? "Count" : "Next";
});
document.addEventListener("keydown", (e) => {
  if (e.key !== "Enter" || !e.target.matches?.("form[data-jump] input.num") || e.target.closest("details")) return;
  e.preventDefault();
  goOn(e.target);
});
// Beside each field its thermometer shows what is typed.
document.addEventListener("input", (e) => {
  const row = e.target.closest?.(".check-row");
  const fill = row?.querySelector("[data-fill]");
  if (!fill || !e.target.name.startsWith("celsius-")) return;
  const value = parseFloat(e.target.value.replace("−", "-").replace(",", "."));
  if (Number.isNaN(value)) return;
  const over = (value - Number(row.dataset.limit.replace("−", "-"))) * Number(row.dataset.kelvin);
  const [top, height] = fill.dataset.fill.split(" ").map(Number);
  const level = (Math.min(Math.max(over, -5.4), 4) + 6) / 10;
  fill.setAttribute("y", top + height * (1 - level));
  fill.setAttribute("height", height * level + 2);
  fill.closest(".thermo").classList.toggle("thermo-over", over > 0);
});
const byFinger = matchMedia("(pointer: coarse)").matches;
const showPad = () => {
  document.querySelectorAll(".pad, .pin-pad").forEach((p) => {
    p.hidden = false;
  });
  // Where the page brings its own keys, those of the device stay away.
  if (byFinger) document.querySelectorAll("form[data-jump] input.num").forEach((n) => (n.inputMode = "none"));
};

// The PIN pad types into its field; a name that is chosen leads there.
document.addEventListener("click", (e) => {
  const key = e.target.closest("[data-pin]")?.dataset.pin;
  if (!key) return;
  const field = e.target.closest(".pin-box").querySelector("input");
  field.value = key === "⌫" ? field.value.slice(0, -1) : (field.value + key).slice(0, 8);
});
document.addEventListener("change", (e) => {
  if (e.target.matches(".names input")) e.target.form.querySelector(".pin-field, [type=password]")?.focus();
});

// A new kitchen lies where the browser does, until somebody says otherwise.
document.querySelectorAll("input[name=time_zone]").forEach((zone) => {
  zone.value ||= Intl.DateTimeFormat().resolvedOptions().timeZone;
});

// Inspecting: one sign at a time. Digits choose, space goes on, Enter commits.
const inspectForm = () => document.querySelector("form.inspect");
const signs = () => [...document.querySelectorAll(".sign")];

function goTo(sign) {
  const form = inspectForm();
  if (!form || !sign) return;
  signs().forEach((s) => s.classList.toggle("sign-now", s === sign));
  form.elements.current.value = sign.dataset.sign;
  document.querySelectorAll("[data-goto]").forEach((b) => {
    b.classList.toggle("now", b.dataset.goto === sign.dataset.sign);
    const picked = form.querySelector(`[name="sign-${b.dataset.goto}"]:checked`);
    b.lastElementChild.textContent = picked ? picked.closest(".level").querySelector("b").textContent : "–";
  });
  document.querySelectorAll(".zone").forEach((z) => z.classList.toggle("zone-now", z.dataset.zone === sign.dataset.zone));
}

function step(by) {
  const all = signs();
  const at = all.findIndex((s) => s.classList.contains("sign-now"));
  decide(at + by >= all.length);
  goTo(all[Math.min(Math.max(at + by, 0), all.length - 1)]);
}
// On a phone what is decided takes the place of the signs when they are through.
const decide = (on) => inspectForm()?.classList.toggle("deciding", on);
document.addEventListener("click", (e) => {
  if (e.target.closest("[data-decide]")) decide(true);
  if (e.target.closest("[data-signs]")) decide(false);
});

// Puts each part of an answer in the place of the one with its id.
function showParts(html) {
  const parts = document.createElement("template");
  parts.innerHTML = html;
  for (const part of [...parts.content.children]) document.getElementById(part.id)?.replaceWith(part);
}

// Asks the server what a form says so far. Only what it draws is exchanged, so
// that what is chosen meanwhile stays; a later question replaces an earlier.
let asking = null;
async function ask(path, body) {
  asking?.abort();
  asking = new AbortController();
  try {
    const answer = await fetch(path, { method: "POST", body, headers: { "HX-Request": "true" }, signal: asking.signal });
    if (answer.ok) showParts(await answer.text());
    else Forms.say(inspectForm(), "The verdict could not be brought up to date. What you chose stays here: try again.");
  } catch (err) {
    if (err.name !== "AbortError") Forms.say(inspectForm(), "There is no connection: the verdict is from before the last choice. What you chose stays here.");
  }
}

const look = () => ask(inspectForm().getAttribute("action") + "/preview", new URLSearchParams(new FormData(inspectForm())));

// Another fish of the box: the server keeps those seen and gives a fresh form.
// Keys that come before it wait for it.
let turning = false;
let waiting = [];
async function turnTo(button) {
  const form = inspectForm();
  turning = true;
  const body = new URLSearchParams(new FormData(form));
  body.set("do", button.value);
  try {
    await ask(form.getAttribute("action") + "/preview", body);
    if (button.value === "good") decide(!!document.querySelector("[data-turn][value=index]")); // the sample is seen
  } finally {
    turning = false;
    goTo(document.querySelector(".sign-now"));
    const keys = waiting;
    waiting = [];
    keys.forEach((key) => inspectKey({ key }));
  }
}

function inspectKey(e) {
  if (!inspectForm()) return false;
  if (turning) {
    waiting.push(e.key);
    return true;
  }
  const turn = { n: "[data-next]", g: "[data-turn][value=good]", i: "[data-turn][value=index]" }[e.key];
  if (turn) {
    const button = document.querySelector(turn);
    if (button) turnTo(button);
    return true;
  }
  const now = document.querySelector(".sign-now");
  if (/^[1-9]$/.test(e.key)) {
    const radios = now?.querySelectorAll("input") ?? [];
    const radio = radios[Number(e.key) - 1];
    const says = document.querySelector("[data-says]");
    if (says) says.textContent = radio ? "" : `${e.key} is no level here: ${radios.length > 1 ? `1 to ${radios.length}` : "1"}.`;
    if (radio) {
      radio.checked = true;
      radio.dispatchEvent(new Event("change", { bubbles: true }));
      step(1); // at once: the next digit may follow fast
    }
    return true;
  }
  if (e.key === " " || e.key === "ArrowRight") {
    step(1);
    return true;
  }
  if (e.key === "Backspace" || e.key === "ArrowLeft") {
    step(-1);
    return true;
  }
  if (e.key === "Enter" && !document.activeElement.closest("a, button, summary")) {
    inspectForm().requestSubmit(inspectForm().querySelector("[data-commit]"));
    return true;
  }
  return false;
}

document.addEventListener("change", (e) => {
  if (e.target.matches('.inspect [name="explain"], .inspect [name="found"]')) look();
  if (!e.target.matches(".inspect input[type=radio]")) return;
  const sign = e.target.closest(".sign");
  e.target.blur();
  look();
  goTo(sign);
  setTimeout(() => {
    if (sign.isConnected && sign.classList.contains("sign-now")) step(1);
  }, 150); // a finger wants to see its choice first
});
document.addEventListener("click", (e) => {
  const turn = e.target.closest("[data-next], [data-fish], [data-turn]");
  if (turn && inspectForm()) {
    e.preventDefault();
    turnTo(turn);
    return;
  }
  const by = e.target.closest("[data-step]");
  if (by) step(Number(by.dataset.step));
  const goto = e.target.closest("[data-goto]");
  if (goto) goTo(signs().find((s) => s.dataset.sign === goto.dataset.goto));
  const zone = e.target.closest("a.zone");
  if (zone && inspectForm()) {
    e.preventDefault();
    const all = signs().filter((s) => s.dataset.zone === zone.dataset.zone);
    goTo(all.find((s) => !s.querySelector(":checked")) ?? all[0]);
  }
});

// What stays on and what comes off: a tap on the drawn fish ticks its box, and a
// ticked box draws the fish anew.
document.addEventListener("click", (e) => {
  const mark = e.target.closest("a[data-trim]");
  const fish = mark?.closest("[data-toggles]");
  if (!fish) return;
  e.preventDefault();
  const box = fish.closest("form").elements[`${fish.dataset.toggles}-${mark.dataset.trim}`];
  box.checked = !box.checked;
  drawTrim(fish);
});
document.addEventListener("change", (e) => {
  const fish = e.target.form?.querySelector("[data-toggles]");
  if (fish && e.target.matches('[name^="trim-"], [name^="wrong-"]')) drawTrim(fish);
});
async function drawTrim(fish) {
  const on = (prefix) => [...fish.closest("form").querySelectorAll(`[name^="${prefix}-"]:checked`)].map((i) => i.name.slice(prefix.length + 1)).join();
  const query = new URLSearchParams({ figure: fish.dataset.figure, form: fish.dataset.form, off: on("trim"), wrong: on("wrong") });
  const answer = await fetch(`${document.body.dataset.base}/trimmed?${query}`);
  if (answer.ok) fish.innerHTML = await answer.text();
}

// The first field of a form has the focus: of a page that is one, and of one that is
// folded out. A finger brings up its keys where it taps.
const firstField = (root) =>
  [...root.querySelectorAll("input:not([type=hidden]), select, textarea")].find((f) => f.offsetParent && f.tabIndex >= 0);
const byKeys = matchMedia("(pointer: fine)").matches;
document.addEventListener(
  "toggle",
  (e) => {
    if (byKeys && e.target.open && e.target.contains(document.activeElement)) firstField(e.target)?.focus();
  },
  true,
);

document.addEventListener("DOMContentLoaded", () => {
  const listed = document.querySelector("form[data-jump] input.num");
  if (listed) listed.focus(); // with keys of its own
  else if (byKeys && document.body.matches(".in-form") && !inspectForm() && document.activeElement === document.body && !document.querySelector("[autofocus]")) firstField(document.getElementById("main"))?.focus();
  showPad();
  goTo(document.querySelector(".sign-now"));
});
document.addEventListener("htmx:afterSettle", showPad);
document.addEventListener("lean:shown", () => {
  showPad();
  goTo(document.querySelector(".sign-now"));
  offerDevices(document);
  toEnd(document);
});

// An alarm sounds when it comes up, and each minute until somebody acts. The
// server leaves out what the quiet hours silence.
let tone = null;
document.addEventListener("pointerdown", () => (tone ??= new AudioContext()), { once: true });
let sounded = 0;
function sound() {
  if (!document.querySelector("#alarm-bar[data-sound]")) {
    sounded = 0;
    return;
  }
  if (!tone || Date.now() - sounded < 55_000) return;
  sounded = Date.now();
  for (const [at, pitch] of [
    [0, 880],
    [0.25, 660],
    [0.5, 880],
  ]) {
    const o = tone.createOscillator();
    const g = tone.createGain();
    o.frequency.value = pitch;
    g.gain.setValueAtTime(0.12, tone.currentTime + at);
    g.gain.exponentialRampToValueAtTime(0.001, tone.currentTime + at + 0.22);
    o.connect(g).connect(tone.destination);
    o.start(tone.currentTime + at);
    o.stop(tone.currentTime + at + 0.24);
  }
}
document.addEventListener("htmx:afterSwap", sound);
setInterval(sound, 60_000);
sound();

// A button beside a number field takes the last value of a device.
const offerDevices = (root) => root.querySelectorAll?.("[data-from]").forEach(offerDevice);
offerDevices(document);
document.addEventListener("htmx:afterSwap", (e) => offerDevices(e.target));
function offerDevice(input) {
  if (input.parentElement.querySelector(".take") || !document.body.dataset.base) return;
  const kind = input.dataset.from;
  if (!document.getElementById("alarm-bar")?.dataset.devices.includes(kind)) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "take";
  button.textContent = kind;
  button.tabIndex = -1; // whose hands are on the keys types it
  button.setAttribute("aria-label", `from the ${kind}`);
  button.addEventListener("click", async () => {
    const answer = await fetch(`${document.body.dataset.base}/measured/${kind}`).catch(() => null);
    if (!answer?.ok) {
      button.textContent = `nothing from the ${kind} yet`;
      return;
    }
    const { value, name } = await answer.json();
    input.value = value.replace("−", "-");
    button.textContent = `taken from ${name}`;
    button.removeAttribute("aria-label");
    input.dispatchEvent(new Event("change", { bubbles: true }));
  });
  input.after(button);
}

// What refreshes by itself never takes away what somebody is typing in it, and stays
// when the answer has nothing for its place: signed out meanwhile, or an error.
document.addEventListener("htmx:beforeSwap", (e) => {
  const part = e.target.closest?.("[hx-trigger*='live:']");
  if (!part || e.detail.requestConfig?.verb !== "get") return;
  const wanted = part.getAttribute("hx-select");
  const there = !wanted || new DOMParser().parseFromString(e.detail.serverResponse, "text/html").querySelector(wanted);
  if (!there || part.querySelector("[aria-invalid=true]") || [...part.querySelectorAll("input, textarea, select")].some((f) => f === document.activeElement || Forms.dirty(f))) e.detail.shouldSwap = false;
});

// What may be undone goes when its time is over.
function countDown() {
  const form = document.querySelector("form[data-undo]");
  if (!form || form.dataset.counted) return;
  form.dataset.counted = "1";
  setTimeout(() => form.remove(), Number(form.dataset.undo) * 1000);
}
countDown();
document.addEventListener("lean:shown", countDown);

// A button that copies a text of the page.
document.addEventListener("click", async (e) => {
  const copy = e.target.closest("[data-copy]");
  if (!copy) return;
  const text = document.querySelector(copy.dataset.copy);
  try {
    await navigator.clipboard.writeText(text.textContent);
    copy.textContent = "Copied";
  } catch {
    getSelection().selectAllChildren(text); // without leave to copy, it is marked to be copied by hand
  }
});

// A button that prints its page.
document.addEventListener("click", (e) => {
  if (e.target.closest("[data-print]")) window.print();
});

// A long list begins at the first that is chosen in it.
document.querySelector(".pick-list :checked")?.focus();

// A drawing too wide for the page shows its end first: there it is served.
function toEnd(root) {
  for (const wide of root.querySelectorAll?.("[data-end]") ?? []) wide.scrollLeft = wide.scrollWidth;
}
toEnd(document);
document.addEventListener("htmx:afterSwap", (e) => toEnd(e.target));

// A file that takes a while says how far it has come: lines first, the file after them.
document.addEventListener("click", async (e) => {
  const link = e.target.closest("a[data-progress]");
  if (!link || e.ctrlKey || e.metaKey || e.shiftKey) return;
  e.preventDefault();
  if (link.dataset.busy) return;
  link.dataset.busy = "1";
  const said = link.parentElement.querySelector("[data-progress-said]");
  const failed = "It could not be made. Try again, or fewer days.";
  said.textContent = "Begun …";
  try {
    const answer = await fetch(link.href + "&progress=1");
    if (!answer.ok) throw new Error(answer.status);
    const reader = answer.body.getReader();
    let rest = new Uint8Array(0);
    for (;;) {
      const end = rest.indexOf(10);
      if (end < 0) {
        const { done, value } = await reader.read();
        if (done) throw new Error("cut off");
        rest = new Uint8Array([...rest, ...value]);
        continue;
      }
      const line = new TextDecoder().decode(rest.subarray(0, end)).split("\t");
      rest = rest.subarray(end + 1);
      if (line[0] === "error") throw new Error(line[1]);
      if (line[0] === "file") {
        const parts = [rest];
        for (let part; !(part = await reader.read()).done; ) parts.push(part.value);
        const a = document.createElement("a");
        a.href = URL.createObjectURL(new Blob(parts, { type: line[2] }));
        a.download = line[1];
        a.click();
        setTimeout(() => URL.revokeObjectURL(a.href), 60_000);
        said.textContent = `${line[1]} is made.`;
        return;
      }
      said.textContent = `${line[2]}, ${Number(line[0]) + 1} of ${line[1]} …`;
    }
  } catch {
    said.textContent = failed;
  } finally {
    delete link.dataset.busy;
  }
});
