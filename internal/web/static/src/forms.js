// Forms: sent without leaving the page, followed by what they come to, kept on the
// device. Every form works without this file; with it nothing that was typed is lost.
//
//	data-send     is sent by this script, which says at its button what became of it
//	data-follow   asks for the page anew as it is filled in: a preview, and what is wrong
//	data-draft    is kept on this device until it was taken
"use strict";
const Forms = (() => {
  const main = () => document.getElementById("main");
  const url = (form, button) => button?.getAttribute("formaction") || form.getAttribute("action") || location.href; // fields may be named action
  const values = (form, button) => {
    const data = new FormData(form);
    if (button?.name) data.append(button.name, button.value);
    return data;
  };
  const text = (form) => new URLSearchParams(new FormData(form)).toString();

  // What is said at the form's button.
  function say(form, words, kind = "error") {
    const place = form.querySelector("[data-said]");
    if (!place) return;
    place.replaceChildren();
    if (!words) return;
    const p = document.createElement("p");
    p.className = kind;
    p.setAttribute("role", "alert");
    p.textContent = words;
    place.append(p);
    p.scrollIntoView({ block: "nearest" });
  }

  // A date of which half is typed has no value: browsers would send nothing for it. They
  // stop the form and say so in their own words and language; this says it in ours.
  function half(e) {
    const field = e.target;
    if (!field.validity.badInput) return;
    e.preventDefault();
    if (field.getAttribute("aria-invalid") !== "true") {
      const p = document.createElement("p");
      p.className = "error";
      p.id = field.id + "-half";
      p.setAttribute("role", "alert");
      p.textContent = field.type === "datetime-local" ? "Give the day and the hour, or leave it empty." : "Give it whole, or leave it empty.";
      field.closest(".field, div").append(p);
      field.setAttribute("aria-invalid", "true");
      field.setAttribute("aria-describedby", p.id);
      field.addEventListener("input", () => (p.remove(), field.removeAttribute("aria-invalid"), field.removeAttribute("aria-describedby")), { once: true });
    }
    if (field.form.querySelector(":invalid:is(input, select, textarea)") === field) field.focus();
  }
  document.addEventListener("invalid", half, true);

  // Puts the content of another answer in the place of this page's. What stays the same
  // stays untouched: the focus, what is typed elsewhere, what is folded out.
  function show(page, form, { following = false, done = false, sent = new Map() } = {}) {
    const now = new DOMParser().parseFromString(page, "text/html");
    const content = now.getElementById("main");
    if (!content) return false;
    document.title = now.title;
    main().querySelectorAll("[hx-trigger*='live:']").forEach((part) => htmx.trigger(part, "htmx:abort")); // asked before what now counts
    const other = (el) => el.form && el.form !== form && el.matches("input, textarea, select");
    Idiomorph.morph(main(), content, {
      morphStyle: "outerHTML",
      ignoreActiveValue: following,
      callbacks: {
        beforeNodeMorphed: (old) => !(old.nodeType === 1 && (old.id === "chart" || (other(old) && dirty(old)) || (sent.has(old) && sent.get(old) !== old.value))),
        beforeAttributeUpdated: (name, el, how) => !(name === "open" && how === "remove" && el.matches("details") && !(done && form && (el.contains(form) || form.contains(el)))),
      },
    });
    htmx.process(main());
    document.dispatchEvent(new CustomEvent("lean:shown"));
    return true;
  }
  const dirty = (el) =>
    el.type === "hidden" ? false
    : el.matches("[type=checkbox], [type=radio]") ? el.checked !== el.defaultChecked
    : el.matches("select") ? [...el.options].some((o) => o.selected !== o.defaultSelected) && [...el.options].some((o) => o.defaultSelected)
    : el.value !== el.defaultValue;

  // Leads the eye to what is wrong.
  function lead(form) {
    const wrong = main().querySelector("[aria-invalid=true]");
    const field = wrong?.matches("input, select, textarea") ? wrong : wrong?.querySelector("input");
    const said = main().querySelector("[role=alert]");
    if (field && field.offsetParent) field.focus();
    else if (said) said.scrollIntoView({ block: "nearest" });
    else main().querySelector("[autofocus]")?.focus();
    if (!document.contains(form)) main().querySelector("[autofocus], .pin-field")?.focus();
  }

  async function go(to, form) {
    const there = new URL(to, location.href);
    if (there.pathname + there.search !== location.pathname + location.search) {
      location.assign(there);
      return;
    }
    const answer = await fetch(there, { headers: { Accept: "text/html" } }).catch(() => null);
    if (!answer?.ok || !show(await answer.text(), form, { done: true })) location.assign(there), location.reload();
    else if (there.hash) document.getElementById(there.hash.slice(1))?.scrollIntoView({ block: "nearest" });
    else if (!document.contains(form)) scrollTo({ top: 0, behavior: "instant" }); // what became of it stands on top
  }

  async function send(form, button) {
    if (form.dataset.busy) return;
    clearTimeout(form.pending);
    form.asking?.abort();
    Drafts.now(form); // as it is sent: the answer may put another form in its place
    form.dataset.busy = "1";
    say(form, "");
    const data = values(form, button);
    const sent = new Map([...form.querySelectorAll("input:not([type=hidden], [type=checkbox], [type=radio]), textarea, select")].map((i) => [i, i.value]));
    const files = form.enctype === "multipart/form-data";
    let answer, body;
    try {
      answer = await fetch(url(form, button), {
        method: "POST",
        body: files ? data : new URLSearchParams(data),
        headers: { "Lean-Form": "1" },
        keepalive: !files && new URLSearchParams(data).toString().length < 60_000, // it goes through, whatever is opened next
        signal: AbortSignal.timeout(files ? 120_000 : 20_000),
      });
      body = await answer.text();
    } catch (err) {
      say(form, err.name === "TimeoutError" ?
        "No answer came in time. What you typed stays here: press again, it counts once."
      : "There is no connection. What you typed stays here: press again when there is one, it counts once.");
      return;
    } finally {
      delete form.dataset.busy;
    }
    const to = answer.headers.get("Lean-Go");
    if (to) {
      Drafts.drop(form);
      await go(to, form);
    } else if (answer.headers.get("Content-Type")?.startsWith("text/plain")) say(form, body);
    else if (show(body, form, { sent })) lead(form);
    else say(form, "The answer was not understood here. What you typed is still in the form: try again.");
  }
  document.addEventListener("submit", (e) => {
    const form = e.target;
    if (!form.matches("[data-send]")) return;
    e.preventDefault();
    send(form, e.submitter);
  });

  // Asks for the page as the form is filled in. An answer to what is no longer in the
  // form is dropped: another question is on its way.
  async function follow(form) {
    form.asking?.abort();
    form.asking = new AbortController();
    const asked = text(form);
    const get = form.getAttribute("method") !== "post";
    const query = new URLSearchParams(asked);
    query.set("preview", "1");
    const there = new URL(url(form), location.href);
    if (get) there.search = query;
    let answer, page;
    try {
      answer = await fetch(there, get ? { signal: form.asking.signal } : { method: "POST", body: query, headers: { "Lean-Form": "1" }, signal: form.asking.signal });
      page = await answer.text();
    } catch (err) {
      if (err.name !== "AbortError") say(form, "There is no connection: what stands beside the form is from before the last change.");
      return;
    }
    if (!form.isConnected || text(form) !== asked || form.dataset.busy) return;
    if (answer.headers.get("Content-Type")?.startsWith("text/plain")) say(form, page);
    else if (show(page, form, { following: true })) {
      if (get) {
        query.delete("preview");
        there.search = query;
        history.replaceState(null, "", there);
      }
      form.dataset.followed = text(form);
    }
  }
  function later(e) {
    const form = e.target.form;
    if (!form) return;
    Drafts.keep(form);
    if (!form.matches("[data-follow]") || e.target.matches(".species") && e.type === "input" || e.target.validity?.badInput) return;
    clearTimeout(form.pending);
    if (pressed !== form) form.pending = setTimeout(() => follow(form), e.type === "change" ? 30 : 400);
  }
  // While a finger is on a button of a form, its page is not drawn anew: the button would move away from under it.
  let pressed = null;
  document.addEventListener("pointerdown", (e) => {
    pressed = e.target.closest?.("button")?.form ?? null;
    if (!pressed?.matches("[data-follow]")) return (pressed = null);
    clearTimeout(pressed.pending);
    pressed.asking?.abort();
  });
  for (const end of ["pointerup", "pointercancel"])
    document.addEventListener(end, () => {
      const form = pressed;
      pressed = null;
      if (form) form.pending = setTimeout(() => form.isConnected && !form.dataset.busy && form.dataset.followed !== text(form) && follow(form), 30);
    });
  document.addEventListener("input", later);
  document.addEventListener("change", later);

  return { show, say, text, dirty };
})();

// Drafts: what is typed into a long form survives a reload, a stray tap and a closed tab.
const Drafts = (() => {
  const key = (form) => `draft ${location.pathname}${location.search} ${form.getAttribute("id")}`;
  const store = (does) => {
    try {
      return does(localStorage);
    } catch {
      return null; // the browser keeps nothing: the form works all the same
    }
  };
  function keep(form) {
    if (!form.matches("[data-draft]")) return;
    clearTimeout(form.keeping);
    form.keeping = setTimeout(() => now(form), 150);
  }
  // Keeps at once what is waiting to be kept.
  function now(form) {
    if (!form.keeping) return;
    clearTimeout(form.keeping);
    form.keeping = 0;
    store((s) => s.setItem(key(form), JSON.stringify({ at: Date.now(), text: Forms.text(form) })));
  }
  function drop(form) {
    clearTimeout(form.keeping);
    form.keeping = 0;
    if (form.matches("[data-draft]")) store((s) => s.removeItem(key(form)));
  }
  const kept = (form) => {
    const draft = store((s) => JSON.parse(s.getItem(key(form)) ?? "null"));
    return draft && Date.now() - draft.at < 7 * 24 * 3600_000 ? draft : null;
  };
  async function restore(form) {
    const draft = kept(form);
    if (!draft) return;
    const body = new URLSearchParams(draft.text);
    body.set("preview", "1");
    const untouched = Forms.text(form);
    const answer = await fetch(form.getAttribute("action"), { method: "POST", body, headers: { "Lean-Form": "1" } }).catch(() => null);
    if (Forms.text(form) !== untouched || !answer?.ok || answer.headers.get("Content-Type")?.startsWith("text/plain")) return;
    if (!Forms.show(await answer.text(), form)) return;
    const form2 = document.getElementById(form.getAttribute("id"));
    const note = document.createElement("p");
    note.className = "notice draft-note";
    note.setAttribute("role", "status");
    const at = new Date(draft.at);
    const day = at.toDateString() === new Date().toDateString() ? "" : at.toLocaleDateString(undefined, { weekday: "short", day: "numeric", month: "short" }) + ", ";
    note.append(`What you typed here at ${day}${at.toTimeString().slice(0, 5)} is back. `);
    const anew = document.createElement("button");
    anew.type = "button";
    anew.className = "btn btn-small";
    anew.textContent = "Start over";
    anew.addEventListener("click", () => {
      drop(form2);
      location.reload();
    });
    note.append(anew);
    form2.before(note);
  }
  // Before somebody leaves a form with something in it, it asks.
  function leaves(to) {
    const form = document.querySelector("form[data-draft]");
    if (!form || !kept(form)) return false;
    let ask = document.getElementById("leave");
    if (!ask) {
      ask = document.createElement("dialog");
      ask.id = "leave";
      ask.className = "keys";
      ask.innerHTML = `<h2>Leave this form?</h2><p>What you typed stays on this device, and is back when you come back here.</p>
        <form method="dialog" class="receive-actions"><button class="btn btn-primary" value="stay">Stay</button> <button class="btn" value="leave">Leave</button></form>`;
      document.body.append(ask);
    }
    ask.onclose = () => {
      if (ask.returnValue === "leave") location.assign(to);
    };
    ask.returnValue = "stay";
    ask.showModal();
    return true;
  }
  document.addEventListener("click", (e) => {
    const link = e.target.closest?.("a[href]");
    if (!link || e.ctrlKey || e.metaKey || e.shiftKey || e.button || link.target || link.hasAttribute("download")) return;
    const to = new URL(link.href, location.href);
    if (to.origin !== location.origin || to.pathname === location.pathname) return;
    if (leaves(to)) e.preventDefault();
  });
  document.addEventListener("DOMContentLoaded", () => document.querySelectorAll("form[data-draft]").forEach(restore));
  return { keep, now, drop };
})();
