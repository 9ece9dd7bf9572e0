// The live channel: the server says that something changed, or that temperatures came in, and the parts
// of the page ask for themselves again. A hidden page has none; shown again, it asks for everything. A
// page that hears nothing says how old it is.
(() => {
  const base = document.body.dataset.base;
  const banner = document.getElementById("stale");
  if (!base || !banner) return;
  const silence = 10_000; // ms without a beat after which the page says so
  let source = null;
  let heard = Date.now(); // the last beat with which the server could read the database
  let patience = 0; // until then a page that is shown again waits to hear
  let why = "";
  let missed = false; // something may have changed while nothing was heard

  const throttled = 6000; // ms, more than any part waits between two times that it asks
  const again = {};

  function tell(what) {
    for (const part of document.querySelectorAll(`[hx-trigger*="live:${what}"]`)) htmx.trigger(part, `live:${what}`);
    document.dispatchEvent(new Event(`live:${what}`));
    // A part that was asked just before drops what comes now: it is asked once more when it listens again.
    clearTimeout(again[what]);
    again[what] = setTimeout(() => {
      for (const part of document.querySelectorAll(`[hx-trigger*="live:${what} throttle"]`)) htmx.trigger(part, `live:${what}`);
    }, throttled);
  }
  function all() {
    missed = false;
    tell("changed");
    tell("readings");
  }
  function beat(e) {
    const behind = 1000 * Number(e.data); // since the server could read the database
    heard = Math.max(heard, Date.now() - behind);
    why = behind > silence ? "The database does not answer" : "";
    if (!why && missed) all();
    show();
  }
  function open() {
    if (source || document.hidden) return;
    source = new EventSource(`${base}/live`);
    source.addEventListener("beat", beat);
    source.addEventListener("at", (e) => {
      // What changed between the page and its channel, or while that was broken, is not missed.
      const page = document.body.dataset;
      const [version, measured] = e.data.split(" ").map(Number);
      if (version > Number(page.version)) tell("changed");
      if (measured > Number(page.drawn)) tell("readings");
      page.version = version;
      page.drawn = measured;
    });
    for (const what of ["changed", "readings"]) {
      source.addEventListener(what, () => tell(what));
    }
    source.addEventListener("error", async () => {
      missed = true;
      if (source?.readyState !== EventSource.CLOSED) return; // it tries again by itself
      close();
      const answer = await fetch(`${base}/alarms`, { headers: { "HX-Request": "true" } }).catch(() => null);
      why = answer?.status === 401 || answer?.status === 404 ? "signed out" : "";
      setTimeout(open, 2000);
    });
  }
  function close() {
    source?.close();
    source = null;
  }
  function show() {
    const age = Date.now() - heard;
    banner.hidden = age <= silence || Date.now() < patience || document.hidden;
    if (banner.hidden) return;
    const at = new Date(heard).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit", hour12: false });
    const reason = why || (navigator.onLine ? "Lean Catch does not answer" : "This device is offline");
    banner.textContent =
      why === "signed out"
        ? `You are signed out here. What you see is as of ${at}: sign in to go on.`
        : `${reason}: what you see is as of ${at}, ${Math.round(age / 1000)} s ago. Alarms cannot arrive here. Trying again.`;
  }
  document.addEventListener("visibilitychange", () => {
    if (document.hidden) return close();
    patience = Date.now() + silence / 2;
    missed = true;
    open();
  });
  window.addEventListener("pagehide", close);
  window.addEventListener("pageshow", open);
  setInterval(show, 1000);
  open();
})();
