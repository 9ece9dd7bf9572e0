// The board: the handle of an hour, which says at once what each lot may be served as then; what
// is shown; lots that are chosen; and rows that change by themselves. The server says the same of
// each hour by its address, without this file.
"use strict";
(() => {
  const board = () => document.getElementById("board");
  const rows = () => [...board().querySelectorAll(".lot-row")];
  const MINUTES = 24 * 60;

  // The axis: the first day takes a share of it, the days up to the last the rest. From minutes
  // ahead to thousandths, and back.
  const scale = () => board().dataset.scale.split(" ").map(Number);
  function ahead(x) {
    const [share, days] = scale();
    const at = x / 1000;
    return MINUTES * (at <= share ? at / share : 1 + ((at - share) / (1 - share)) * (days - 1));
  }
  function along(minutes) {
    const [share, days] = scale();
    const d = Math.max(0, minutes / MINUTES);
    return 1000 * (d <= 1 ? share * d : share + (1 - share) * Math.min((d - 1) / (days - 1), 1));
  }
  const now = () => Number(board().dataset.now);
  const handled = () => Number(board().dataset.at);

  function clock(minute) {
    if (minute <= now()) return "Now";
    const at = new Date(60_000 * minute);
    const zone = { timeZone: document.body.dataset.zone };
    const day = (d) => d.toLocaleDateString("en-GB", { weekday: "short", ...zone });
    const hour = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", ...zone });
    return minute - now() < MINUTES && day(at) === day(new Date(60_000 * now())) ? hour : `${day(at)} ${hour}`;
  }

  // What a lot may be served as at the hour of the handle.
  function serve(row) {
    const spells = JSON.parse(row.dataset.ahead);
    if (!spells.length) return;
    const [serves, , why] = spells.findLast((s) => s[1] <= handled()) ?? spells[0];
    const by = Number(row.dataset.by);
    row.classList.toggle("pale", by > 0 && by < handled());
    if (row.dataset.serves === serves && row.dataset.why === why) return;
    row.dataset.serves = serves;
    row.dataset.why = why;
    row.querySelector("[data-word]").textContent = JSON.parse(board().dataset.words)[serves] || "No";
    row.querySelector("[data-why]").textContent = why && `: ${why}`;
  }
  const fits = (row, use) => !use || row.dataset.serves === "raw" || (use === "cook" && row.dataset.serves === "cook");

  // Shows the rows that are asked for, and counts them.
  function count() {
    const use = board().dataset.for;
    const species = board().querySelector("#board-species").value;
    const of = rows().filter((row) => !species || row.dataset.species === species);
    for (const row of rows()) row.hidden = !(of.includes(row) && fits(row, use));
    for (const chip of board().querySelectorAll("[data-use]")) {
      const fit = of.filter((row) => fits(row, chip.dataset.use));
      const kg = fit.reduce((sum, row) => sum + Number(row.dataset.kg), 0);
      chip.querySelector("[data-lots]").textContent = fit.length;
      chip.querySelector("[data-kg]").textContent = `${kg.toFixed(kg < 10 ? 2 : 1)} ${board().dataset.unit}`;
      mark(chip, chip.dataset.use === use);
    }
    board().querySelector("[data-none]").hidden = rows().some((row) => !row.hidden);
    for (const list of board().querySelectorAll(".board-rows")) {
      const head = list.previousElementSibling;
      const none = ![...list.children].some((row) => !row.hidden);
      if (head?.matches("h2")) head.hidden = none;
      list.closest("details")?.toggleAttribute("hidden", none);
    }
    const picked = board().querySelectorAll(".lot-pick :checked").length;
    const said = board().querySelector("[data-picked]");
    if (said) said.textContent = picked ? `${picked} lot${picked > 1 ? "s" : ""} chosen` : "Choose lots";
  }
  const mark = (chip, on) => (on ? chip.setAttribute("aria-current", "true") : chip.removeAttribute("aria-current"));

  function draw() {
    const range = board().querySelector("[data-handle] input");
    const words = clock(handled());
    range.value = Math.round(along(handled() - now()));
    range.setAttribute("aria-valuetext", words);
    board().querySelector(".handle-time").textContent = words;
    board().querySelector("[data-when]").textContent = words === "Now" ? "now" : words;
    for (const rope of board().querySelectorAll("[data-rope]"))
      for (const x of ["x1", "x2"]) rope.setAttribute(x, `${along(handled() - now()) / 10}%`);
    for (const chip of board().querySelectorAll("[data-at]")) mark(chip, Number(chip.dataset.at) === handled());
    rows().forEach(serve);
    count();
  }

  // The address says how the board is looked at: it survives a reload and goes to a colleague.
  function keep() {
    const there = new URL(location.href);
    const set = (name, value) => (value ? there.searchParams.set(name, value) : there.searchParams.delete(name));
    const at = new Date(60_000 * handled()).toLocaleString("sv-SE", { timeZone: document.body.dataset.zone }).slice(0, 16).replace(" ", "T");
    set("at", handled() > now() && at);
    set("for", board().dataset.for);
    set("species", board().querySelector("#board-species").value);
    history.replaceState(null, "", there);
  }
  function look(change) {
    change();
    draw();
    keep();
  }

  document.addEventListener("input", (e) => {
    if (!e.target.matches("[data-handle] input")) return;
    const minutes = ahead(Number(e.target.value));
    const step = minutes < MINUTES ? 15 : 60; // by the quarter of an hour today
    board().dataset.at = minutes < 8 ? now() : step * Math.round((now() + minutes) / step);
    draw();
  });
  document.addEventListener("change", (e) => {
    if (e.target.matches("[data-handle] input")) keep();
    else if (e.target.matches("#board-species") && board().querySelector(".board-rows")) look(() => {});
    else if (e.target.matches("[data-look] select")) e.target.form.requestSubmit();
    else if (e.target.matches(".lot-pick input, #choosing")) count();
  });
  document.addEventListener("click", (e) => {
    if (e.ctrlKey || e.metaKey || e.shiftKey || !board()?.querySelector(".board-rows")) return;
    const hour = e.target.closest(".board-hours a");
    const use = e.target.closest(".board-uses a");
    if (!hour && !use) return;
    e.preventDefault();
    look(() => {
      if (hour) board().dataset.at = hour.dataset.at;
      else board().dataset.for = use.dataset.use;
    });
  });

  // Puts a row where it belongs: into its group, the one that is used first on top.
  function place(row) {
    const list = board().querySelector(`ul[data-group="${CSS.escape(row.dataset.group)}"]`);
    if (!list) return false;
    const next = [...list.children].find((other) => other !== row && Number(other.dataset.order) > Number(row.dataset.order));
    list.insertBefore(row, next ?? null);
    return true;
  }

  // Rows that were written since are fetched alone; all of them once a minute, when time has passed.
  let busy = false;
  let again = "";
  async function refresh(what) {
    if (!board() || document.hidden) return;
    if (busy) {
      again ||= what;
      return;
    }
    busy = true;
    try {
      const there = new URL(board().dataset.rows, location.href);
      there.search = location.search;
      const some = what === "changes" && board().querySelector(".board-rows");
      if (some) there.searchParams.set("since", board().dataset.mark);
      const answer = await fetch(there, { headers: { "HX-Request": "true" } });
      if (!answer.ok) return;
      const part = new DOMParser().parseFromString(await answer.text(), "text/html").body.firstElementChild;
      if (!some) whole(part);
      else if (!changed(part)) again = "all";
    } catch {
      // Without a connection the page says so itself: the next change is tried again.
    } finally {
      busy = false;
      const next = again;
      again = "";
      if (next) refresh(next);
    }
  }
  function whole(part) {
    const open = board().querySelector(".board-frozen")?.open;
    const at = handled() > now() ? handled() : 0;
    Idiomorph.morph(board(), part, {
      morphStyle: "outerHTML",
      callbacks: {
        beforeNodeMorphed: (old) => !(old.nodeType === 1 && old.matches("input[type=checkbox], [data-handle]")),
        beforeAttributeUpdated: (name, el) => !(name === "open" && el.matches("details")),
      },
    });
    if (open) board().querySelector(".board-frozen")?.setAttribute("open", "");
    ready(at);
  }
  // False where a row has no group on this page yet: then all of it is asked for.
  function changed(part) {
    board().dataset.mark = part.dataset.mark;
    for (const gone of part.querySelectorAll("[data-gone]")) document.getElementById(gone.dataset.gone)?.remove();
    let placed = true;
    for (const row of part.querySelectorAll(".lot-row")) {
      const old = document.getElementById(row.id);
      const picked = old?.querySelector(".lot-pick :checked");
      if (picked) row.querySelector(".lot-pick input").checked = true;
      const focused = old?.contains(document.activeElement);
      old?.remove();
      placed = place(row) && placed;
      if (focused) row.querySelector("a")?.focus();
    }
    draw();
    return placed;
  }
  document.addEventListener("live:changed", () => refresh("changes"));
  setInterval(() => refresh("all"), 60_000);

  function ready(at) {
    const handle = board()?.querySelector("[data-handle]");
    if (!handle) return;
    handle.hidden = false;
    if (at > now()) board().dataset.at = at;
    draw();
  }
  ready(0);
})();
