// The trace of a place: zoom to any span, values under the finger, new readings
// as they come. Without this file the page shows the trace as a drawing.
"use strict";
(() => {
  const box = document.getElementById("chart");
  if (!box || !window.uPlot) return;
  const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const line = (i) => [css("--brine"), css("--straw-fill"), css("--kelp"), css("--slate")][i % 4];
  const zone = box.dataset.zone;
  const first = { from: +box.dataset.from, to: +box.dataset.to };
  let shown = { ...first };
  let live = box.dataset.live === "1"; // the span ends now, and goes on with it
  let plot = null;
  let trace = null;
  let asked = 0;

  const size = () => ({ width: box.clientWidth, height: Math.max(260, Math.min(420, Math.round(window.innerHeight * 0.45))) });
  const number = (v) => (v == null ? "—" : v.toFixed(1).replace("-", "−") + " " + trace.unit);

  // What is behind the lines: the alarms, and the limits.
  function behind(u) {
    const { ctx } = u;
    const { left, top, width, height } = u.bbox;
    ctx.save();
    ctx.beginPath();
    ctx.rect(left, top, width, height);
    ctx.clip();
    ctx.fillStyle = css("--coral-soft");
    for (const [from, to] of trace.alarms) {
      const a = u.valToPos(from, "x", true);
      ctx.fillRect(a, top, Math.max(2, u.valToPos(to, "x", true) - a), height);
    }
    ctx.strokeStyle = ctx.fillStyle = css("--coral");
    ctx.lineWidth = 2 * devicePixelRatio;
    ctx.font = `${14 * devicePixelRatio}px "Atkinson Hyperlegible Next", sans-serif`;
    for (const [limit, text] of [
      [trace.warm, "limit"],
      [trace.cold, "freezes"],
    ]) {
      if (limit == null) continue;
      const y = u.valToPos(limit, "y", true);
      if (y < top || y > top + height) continue;
      ctx.setLineDash([8 * devicePixelRatio, 5 * devicePixelRatio]);
      ctx.beginPath();
      ctx.moveTo(left, y);
      ctx.lineTo(left + width, y);
      ctx.stroke();
      ctx.setLineDash([]);
      ctx.fillText(`${text} ${number(limit)}`, left + 6 * devicePixelRatio, y - 5 * devicePixelRatio);
    }
    ctx.restore();
  }

  // The range of temperatures: all that was measured, and the limit near it.
  function range(u, min, max) {
    if (min == null) [min, max] = [0, 5];
    for (const limit of [trace.warm, trace.cold]) if (limit != null && limit > min - 3 && limit < max + 3) [min, max] = [Math.min(min, limit), Math.max(max, limit)];
    const pad = Math.max(0.5, (max - min) * 0.08);
    return [min - pad, max + pad];
  }

  function draw() {
    // Lines of one kind: mean, and in hours least and most with a band between.
    const tables = [];
    const series = [{ label: "At", value: (u, v) => (v == null ? "—" : stamp.format(v * 1000)) }];
    const bands = [];
    trace.lines.forEach((l, i) => {
      const colour = line(i);
      if (l.hand) {
        // What people read are points: nobody knows what was between them.
        tables.push([l.t, l.mean]);
        series.push({ label: l.name, stroke: colour, paths: () => null, value: (u, v) => number(v), points: { show: true, size: 11, fill: colour } });
        return;
      }
      if (trace.hourly) {
        const n = series.length;
        tables.push([l.t, l.max, l.min]);
        series.push({ label: l.name + ", most", stroke: "transparent", value: (u, v) => number(v), points: { show: false } });
        series.push({ label: "least", stroke: "transparent", value: (u, v) => number(v), points: { show: false } });
        bands.push({ series: [n, n + 1], fill: colour + "38" });
      }
      tables.push([l.t, l.mean]);
      series.push({ label: trace.hourly ? "mean" : l.name, stroke: colour, width: 2.5, value: (u, v) => number(v), points: { show: false } });
    });
    const data = tables.length ? uPlot.join(tables) : [[], []];
    if (!tables.length) series.push({ label: "nothing measured" });
    plot?.destroy();
    box.querySelector(".chart-still")?.remove();
    const axis = { stroke: css("--quiet"), grid: { stroke: css("--rule"), width: 1 }, ticks: { stroke: css("--rule") }, font: '15px "Atkinson Hyperlegible Next", sans-serif' };
    plot = new uPlot(
      {
        ...size(),
        series,
        bands,
        tzDate: (ts) => uPlot.tzDate(new Date(ts * 1000), zone),
        scales: { x: { time: true, range: () => [shown.from, shown.to] }, y: { range } },
        axes: [
          { ...axis, space: 90, values: [[86400, "{D} {MMM}", null, null, null, null, null, null, 1], [3600, "{HH}:{mm}", "\n{D} {MMM}", null, null, null, null, null, 1], [60, "{HH}:{mm}", "\n{D} {MMM}", null, null, null, null, null, 1]] },
          { ...axis, size: 62, values: (u, list) => list.map((v) => (Math.round(v * 10) / 10).toString().replace("-", "−") + "°") },
        ],
        cursor: { drag: { x: true, y: false, setScale: false }, bind: { dblclick: () => () => back() } },
        hooks: { drawClear: [behind], setSelect: [select] },
      },
      data,
      box,
    );
  }

  const stamp = new Intl.DateTimeFormat("en-GB", { timeZone: zone, weekday: "short", day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

  function select(u) {
    if (u.select.width < 8) return;
    const from = Math.floor(u.posToVal(u.select.left, "x"));
    const to = Math.ceil(u.posToVal(u.select.left + u.select.width, "x"));
    u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
    live = false;
    load({ from, to: Math.max(to, from + 600) });
  }

  function back() {
    live = box.dataset.live === "1";
    load(live ? null : first);
    return null;
  }

  // load asks for a span, or for the last one up to now: by the server's clock, that of the tablet may be wrong.
  async function load(span) {
    const mine = ++asked;
    const which = span ? `from=${span.from}&to=${span.to}` : `last=${first.to - first.from}`;
    const answer = await fetch(`${box.dataset.trace}?${which}`).catch(() => null);
    if (mine !== asked || !answer?.ok) return;
    trace = await answer.json();
    shown = { from: trace.from, to: trace.to };
    draw();
    sums();
    const last = trace.lines[0]?.mean.findLast((v) => v != null);
    const figure = document.getElementById("now");
    if (live && figure && last != null) figure.textContent = number(last);
    box.dataset.drawn = String(+(box.dataset.drawn || 0) + 1);
  }

  function sums() {
    const list = document.getElementById("sums");
    list.replaceChildren(
      ...trace.sums.map((s) => {
        const row = document.createElement("div");
        const name = document.createElement("dt");
        const value = document.createElement("dd");
        value.className = "fig";
        [name.textContent, value.textContent] = [s.Name, s.Value];
        row.append(name, value);
        return row;
      }),
    );
  }

  const moved = () => {
    if (live) load(null);
  };
  // The server tells of new readings; a quiet minute is drawn too.
  let due = 0;
  document.addEventListener("live:readings", () => {
    if (due) return;
    due = setTimeout(() => {
      due = 0;
      moved();
    }, 700);
  });
  setInterval(moved, 60_000);
  window.addEventListener("resize", () => plot?.setSize(size()));
  load(shown);
})();
