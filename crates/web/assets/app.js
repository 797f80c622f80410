// The small script: dropping files, the chart cursor, keys. Everything else is rendered by the server.
(() => {
  "use strict";
  const $ = (s, root = document) => root.querySelector(s);
  const all = (s, root = document) => [...root.querySelectorAll(s)];

  // Selects that act at once.
  document.addEventListener("change", (e) => {
    if (e.target.matches("[data-submit]")) e.target.form.requestSubmit();
  });

  // Cautions: shown until seen, once a day.
  const caution = $("[data-caution]");
  if (caution) {
    const today = new Date().toDateString();
    let seen = "";
    try { seen = localStorage.getItem("caution") || ""; } catch { /* private mode */ }
    caution.hidden = seen === today;
    $("[data-dismiss]", caution).addEventListener("click", () => {
      caution.hidden = true;
      try { localStorage.setItem("caution", today); } catch { /* private mode */ }
    });
  }

  // Dropping files.
  const drop = $("[data-drop]");
  if (drop) {
    const bar = $("progress", drop);
    const send = (files) => {
      if (!files.length) return;
      const body = new FormData();
      [...files].forEach((f) => body.append("files", f, f.name));
      const x = new XMLHttpRequest();
      x.open("POST", drop.dataset.drop);
      x.setRequestHeader("x-part", "inbox");
      x.upload.onprogress = (e) => { bar.hidden = false; bar.max = e.total || 1; bar.value = e.loaded; };
      x.onload = () => {
        bar.hidden = true;
        if (x.status === 200) replaceInbox(x.responseText);
        else notice(new DOMParser().parseFromString(x.responseText, "text/html").querySelector(".error")?.textContent || "The files could not be taken in.");
      };
      x.onerror = () => { bar.hidden = true; notice("The server did not answer; the files were not taken in."); };
      x.send(body);
    };
    $("input[type=file]", drop).addEventListener("change", (e) => { send(e.target.files); e.target.value = ""; });
    addEventListener("dragover", (e) => { e.preventDefault(); document.body.classList.add("dragging"); });
    addEventListener("dragleave", (e) => { if (!e.relatedTarget) document.body.classList.remove("dragging"); });
    addEventListener("drop", (e) => { e.preventDefault(); document.body.classList.remove("dragging"); send(e.dataTransfer.files); });
  }
  function replaceInbox(html) {
    const fresh = new DOMParser().parseFromString(html, "text/html").querySelector("#inbox");
    const old = $("#inbox");
    if (!fresh || !old) return;
    old.replaceWith(fresh);
    if (window.htmx) window.htmx.process(fresh);
  }
  function notice(text) {
    const n = document.createElement("p");
    n.className = "notice";
    n.setAttribute("role", "status");
    n.textContent = text;
    document.body.append(n);
    setTimeout(() => n.remove(), 6000);
  }

  // Leaving a pull out, with a reason.
  document.addEventListener("click", (e) => {
    const b = e.target.closest("[data-exclude]");
    if (b) {
      const path = `/pulls/${b.dataset.exclude}/exclude`;
      if (b.dataset.included === "true") {
        const d = $("#exclude");
        $("form", d).action = path;
        d.showModal();
        $("input", d).focus();
      } else {
        const f = $("#include");
        f.action = path;
        f.submit();
      }
    }
    const m = e.target.closest("[data-mark]");
    if (m) {
      const path = `/sets/${m.dataset.mark}/mark`;
      if (m.dataset.valid === "true") {
        const d = $("#mark");
        $("form", d).action = path;
        d.showModal();
        $("input", d).focus();
      } else {
        const f = $("#unmark");
        f.action = path;
        f.submit();
      }
    }
    if (e.target.closest("[data-close]")) e.target.closest("dialog").close();
    if (e.target.closest("[data-help]")) $("#help").showModal();
  });

  // Numbers carry the shop's decimal mark, as the page's own do.
  const mark = document.documentElement.dataset.decimal || ".";
  const shown = (number) => number?.replace(".", mark);

  // The chart: cursor with values, dimming of the others.
  const chart = $("[data-chart]");
  const svg = chart && $("svg", chart);
  if (svg) {
    const curves = JSON.parse($("#curves").textContent);
    const d = svg.dataset;
    const [x0, x1, p0, p1] = [d.x0, d.x1, d.p0, d.p1].map(Number);
    const line = document.createElementNS("http://www.w3.org/2000/svg", "line");
    line.setAttribute("class", "cursor");
    line.setAttribute("y1", "10");
    line.setAttribute("y2", d.bottom);
    svg.append(line);
    const places = [...new Set(curves.panels.flatMap((p) => p.series.flatMap((c) => c.x)))].sort((a, b) => a - b);
    const nearest = (x) => places.reduce((best, p, i) => (Math.abs(p - x) < Math.abs(places[best] - x) ? i : best), 0);
    const words = (x) => ({ "engine rpm": `${x} rpm`, "road km/h": `${x} km/h`, "dyno-shaft rpm": `${x} rpm of the shaft` })[curves.axis] || `${shown(x.toFixed(1))} ${curves.axis}`;
    let at = 0;
    const show = (i) => {
      if (!places.length) return;
      at = Math.max(0, Math.min(places.length - 1, i));
      const here = places[at];
      const x = p0 + ((here - x0) / (x1 - x0)) * (p1 - p0);
      line.setAttribute("x1", x);
      line.setAttribute("x2", x);
      $("#at").textContent = `At ${words(here)}`;
      read(here);
    };
    // Everything at the cursor: one line a quantity or channel, a column a set.
    const sets = all("[data-at]").map((h) => h.dataset.at);
    const at1 = (xs, ys, here) => {
      if (!xs) return null;
      const i = xs.reduce((best, x, k) => (Math.abs(x - here) < Math.abs((xs[best] ?? Infinity) - here) ? k : best), -1);
      return i >= 0 && Math.abs(xs[i] - here) <= 1.5 * step ? ys[i] ?? null : null;
    };
    const step = places.length > 1 ? Math.min(...places.slice(1).map((p, i) => p - places[i])) : 1;
    const signed = (v) => `${v >= 0 ? "+" : ""}${shown(v.toFixed(1))}`;
    // More sets than fit side by side with their half-widths have these below.
    const many = sets.length > 3;
    $("#cursor-table").classList.toggle("many", many);
    const read = (here) => {
      const body = $("#cursor-rows");
      body.replaceChildren();
      const row = (name, value) => {
        const r = body.insertRow();
        const head = r.insertCell();
        head.className = "quiet";
        head.textContent = name;
        sets.forEach((key) => {
          const c = r.insertCell();
          c.className = "r num";
          c.textContent = value(key) ?? "–";
        });
      };
      curves.panels.forEach((p) => {
        row(p.id, (key) => {
          const s = p.series.find((c) => c.key === key);
          return shown(at1(s?.x, s?.y, here)?.toFixed(1));
        });
        row("gain", (key) => {
          const g = p.gains.find((c) => c.key === key);
          const v = at1(g?.x, g?.gain, here);
          if (v === null) return "";
          const h = at1(g.x, g.half, here);
          return `${signed(v)}${h === null ? "" : `${many ? "\n" : " "}±${shown(h.toFixed(1))}`}`;
        });
      });
      curves.tracks.forEach((t) => {
        [...new Set(t.lines.map((l) => l.label))].forEach((label) => row(label || t.label.split(",")[0], (key) => {
          const l = t.lines.find((c) => c.key === key && c.label === label);
          return shown(at1(l?.x, l?.y, here)?.toFixed(t.digits));
        }));
      });
    };
    const place = (e) => {
      const box = svg.getBoundingClientRect();
      const u = ((e.clientX - box.left) / box.width) * svg.viewBox.baseVal.width;
      if (u >= p0 - 4 && u <= p1 + 4) show(nearest(x0 + ((u - p0) / (p1 - p0)) * (x1 - x0)));
    };
    svg.addEventListener("pointermove", place);
    svg.addEventListener("pointerdown", place);
    svg.setAttribute("tabindex", "0");
    svg.addEventListener("keydown", (e) => {
      if (e.key === "ArrowLeft" || e.key === "ArrowRight") { e.preventDefault(); show(at + (e.key === "ArrowRight" ? 1 : -1) * (e.shiftKey ? 10 : 1)); }
    });
    show(nearest(x0 + 0.45 * (x1 - x0)));
    const dim = (key) => all(".series", svg).forEach((g) => g.classList.toggle("dim", key !== null && g.dataset.key !== key));
    all("[data-hover]").forEach((row) => {
      row.addEventListener("pointerenter", () => dim(row.dataset.hover));
      row.addEventListener("pointerleave", () => dim(null));
      row.addEventListener("focusin", () => dim(row.dataset.hover));
      row.addEventListener("focusout", () => dim(null));
    });
    all(".series", svg).forEach((g) => {
      g.addEventListener("pointerenter", () => dim(g.dataset.key));
      g.addEventListener("pointerleave", () => dim(null));
    });
  }

  // Tables: sorted by a press on a head, copied with tabs between cells.
  const numeric = (text) => { const m = text.replace("−", "-").replace(mark, ".").match(/[-+]?[0-9]+([.][0-9]+)?/); return m ? Number(m[0]) : null; };
  all("table[data-sort]").forEach((table) => all("thead th", table).forEach((head, k) => {
    const press = document.createElement("button");
    press.type = "button";
    press.className = "sorter";
    press.append(...head.childNodes);
    head.append(press);
    press.addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") !== "descending";
      all("thead th", table).forEach((h) => h.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      const key = (row) => row.cells[k]?.textContent.trim() ?? "";
      const body = table.tBodies[0];
      const order = [...body.rows].sort((a, b) => {
        const [x, y] = [numeric(key(a)), numeric(key(b))];
        const by = k === 0 || x === null || y === null ? key(a).localeCompare(key(b)) : x - y;
        return down ? -by : by;
      });
      body.append(...order);
    });
  }));
  // Paper has no folds: what is folded away is printed too, and folded again.
  addEventListener("beforeprint", () => all("main details:not([open]):not(.noprint)").forEach((d) => { d.open = true; d.dataset.folded = ""; }));
  addEventListener("afterprint", () => all("details[data-folded]").forEach((d) => { d.open = false; delete d.dataset.folded; }));
  all("[data-copy]").forEach((b) => {
    b.hidden = !navigator.clipboard;
    b.addEventListener("click", () => {
      const cells = (row) => [...row.cells].map((c) => [...c.childNodes].filter((n) => !n.classList?.contains("interval")).map((n) => n.textContent).join(" ").replace(/\s+/g, " ").trim()).join("\t");
      // Numbers as the shop's spreadsheets read them; names and headings stay as they are.
      const marked = (text, row) => (b.dataset.decimal === "," && row.parentElement.tagName === "TBODY" ? text.replace(/(\t.*)/s, (rest) => rest.replace(/(\d)\.(?=\d)/g, "$1,")) : text);
      navigator.clipboard.writeText([...$(b.dataset.copy).rows].map((row) => marked(cells(row), row)).join("\n")).then(() => notice("Copied, with tabs between cells."));
    });
  });

  // Lanes of a pull: cursor with values, drag to look closer.
  function lanes() {
    const holder = $("[data-lanes]");
    const svg = holder && $("svg", holder);
    if (!svg) return;
    const lines = JSON.parse($("script", holder).textContent);
    const d = svg.dataset;
    const [x0, x1, p0, p1] = [d.x0, d.x1, d.p0, d.p1].map(Number);
    const make = (tag, cls) => {
      const e = document.createElementNS("http://www.w3.org/2000/svg", tag);
      e.setAttribute("class", cls);
      e.setAttribute(tag === "line" ? "y1" : "y", d.top);
      svg.append(e);
      return e;
    };
    const cursor = make("line", "cursor");
    cursor.setAttribute("y2", d.bottom);
    cursor.setAttribute("visibility", "hidden");
    const brush = make("rect", "brush");
    brush.setAttribute("height", d.bottom - d.top);
    const box = document.createElement("table");
    box.className = "readout";
    box.hidden = true;
    holder.append(box);
    let start = null;
    let at = x0 + 0.5 * (x1 - x0);
    const px = (x) => p0 + ((x - x0) / (x1 - x0)) * (p1 - p0);
    const nearest = (xs, x) => {
      let best = -1;
      let gap = Infinity;
      for (let i = 0; i < xs.length; i++) { const g = Math.abs(xs[i] - x); if (g < gap) { gap = g; best = i; } }
      return gap <= (x1 - x0) / 40 ? best : -1;
    };
    const digits = (v) => shown(Math.abs(v) >= 100 ? v.toFixed(0) : Math.abs(v) >= 10 ? v.toFixed(1) : v.toFixed(3));
    const show = (x) => {
      at = Math.max(x0, Math.min(x1, x));
      cursor.setAttribute("visibility", "visible");
      cursor.setAttribute("x1", px(at));
      cursor.setAttribute("x2", px(at));
      box.replaceChildren();
      const row = (name, value) => {
        const r = box.insertRow();
        r.insertCell().textContent = name;
        const c = r.insertCell();
        c.className = "num";
        c.textContent = value;
      };
      row(d.axis, digits(at));
      lines.forEach((l) => { const i = nearest(l.x, at); row(l.name, i < 0 ? "–" : digits(l.y[i])); });
      box.hidden = false;
      const share = px(at) / svg.viewBox.baseVal.width;
      const wide = svg.getBoundingClientRect().width;
      box.style.left = share < 0.55 ? `${share * wide + 14}px` : "";
      box.style.right = share < 0.55 ? "" : `${holder.clientWidth - share * wide + 14}px`;
    };
    const where = (e) => {
      const b = svg.getBoundingClientRect();
      const u = ((e.clientX - b.left) / b.width) * svg.viewBox.baseVal.width;
      return x0 + ((Math.max(p0, Math.min(p1, u)) - p0) / (p1 - p0)) * (x1 - x0);
    };
    const closer = (a, b) => {
      const url = new URL(location.href);
      const digits = Math.max(0, 3 - Math.floor(Math.log10(Math.abs(x1 - x0))));
      url.searchParams.set("axis", holder.dataset.lanes);
      url.searchParams.set("from", Math.min(a, b).toFixed(digits));
      url.searchParams.set("to", Math.max(a, b).toFixed(digits));
      history.pushState(null, "", url);
      if (window.htmx) window.htmx.ajax("GET", url.pathname + url.search, { target: "#trace", select: "#trace", swap: "outerHTML" });
      else location.reload();
    };
    svg.addEventListener("pointerdown", (e) => { start = where(e); svg.setPointerCapture(e.pointerId); });
    svg.addEventListener("pointermove", (e) => {
      const x = where(e);
      show(x);
      if (start === null) return;
      brush.setAttribute("x", Math.min(px(start), px(x)));
      brush.setAttribute("width", Math.abs(px(x) - px(start)));
    });
    svg.addEventListener("pointerup", (e) => {
      const from = start;
      start = null;
      brush.setAttribute("width", 0);
      if (from !== null && Math.abs(px(where(e)) - px(from)) > 12) closer(from, where(e));
    });
    svg.addEventListener("pointerleave", () => { box.hidden = true; cursor.setAttribute("visibility", "hidden"); });
    svg.setAttribute("tabindex", "0");
    svg.addEventListener("keydown", (e) => {
      const step = (x1 - x0) / (e.shiftKey ? 20 : 200);
      if (e.key === "ArrowLeft" || e.key === "ArrowRight") { e.preventDefault(); show(at + (e.key === "ArrowRight" ? step : -step)); }
      if (e.key === "+") closer(at - (x1 - x0) / 6, at + (x1 - x0) / 6);
    });
  }
  lanes();
  document.addEventListener("htmx:afterSettle", () => { if ($("[data-lanes]") && !$(".readout")) lanes(); });
  addEventListener("popstate", () => { if ($("[data-lanes]")) location.reload(); });

  // A limit drawn over its pulls: a click sets a place, a drag moves it, Shift and a click take it away.
  const places = (text) => text.includes(" at ")
    ? text.split(/, |;/).map((p) => p.split(" at ").map((v) => parseFloat(v.replace(",", ".")))).filter((p) => p.every(Number.isFinite)).map(([v, x]) => [x, v])
    : [];
  const asCurve = (points) => points.sort((a, b) => a[0] - b[0]).map(([x, v]) => `${v} at ${x}`).join(", ");
  addEventListener("pointerdown", (e) => {
    const svg = e.target.closest?.("svg.under"), field = $("[data-threshold]");
    if (!svg || !field || e.button) return;
    e.preventDefault();
    const pair = (name) => svg.dataset[name].split(" ").map(Number);
    const [px, xs, py, ys] = ["px", "x", "py", "y"].map(pair);
    const box = svg.getBoundingClientRect(), wide = svg.viewBox.baseVal.width / box.width;
    const round = (v, span) => Number(v.toPrecision(Math.max(2, Math.ceil(Math.log10(Math.abs(v) / Math.abs(span) + 1)) + 2)));
    const at = (ev) => {
      const sx = (ev.clientX - box.left) * wide, sy = (ev.clientY - box.top) * wide;
      const x = xs[0] + ((sx - px[0]) / (px[1] - px[0])) * (xs[1] - xs[0]);
      const v = ys[0] + ((sy - py[0]) / (py[1] - py[0])) * (ys[1] - ys[0]);
      const step = (xs[1] - xs[0]) > 1000 ? 50 : 5;
      return [Math.round(x / step) * step, round(v, ys[1] - ys[0])];
    };
    const points = places(field.value);
    if (!points.length) {
      const v = parseFloat(field.value.replace(",", "."));
      if (Number.isFinite(v)) points.push([Math.floor(xs[0] / 50) * 50, v], [Math.ceil(xs[1] / 50) * 50, v]);
    }
    const where = at(e), near = (p) => Math.abs(p[0] - where[0]) / (xs[1] - xs[0]);
    let held = points.filter((p) => near(p) < 0.02).sort((a, b) => near(a) - near(b))[0];
    if (held && e.shiftKey) {
      points.splice(points.indexOf(held), 1);
      field.value = points.length > 1 ? asCurve(points) : String(points[0]?.[1] ?? "");
      field.dispatchEvent(new Event("change", { bubbles: true }));
      return;
    }
    if (!held) points.push(held = where);
    const put = (ev) => {
      const [x, v] = at(ev);
      if (points.every((p) => p === held || p[0] !== x)) held[0] = x;
      held[1] = v;
      field.value = points.length > 1 ? asCurve(points) : String(v);
    };
    put(e);
    const done = () => {
      removeEventListener("pointermove", put);
      field.dispatchEvent(new Event("change", { bubbles: true }));
    };
    addEventListener("pointermove", put);
    addEventListener("pointerup", done, { once: true });
  });

  // A plan's sets are taken to another place; baselines stay where they are due.
  const plan = $("[data-plan]");
  let dragged = null;
  if (plan) {
    const sets = () => all("[data-plan-set]", plan);
    sets().forEach((r) => { r.draggable = true; });
    plan.addEventListener("dragstart", (e) => { dragged = e.target.closest("[data-plan-set]"); });
    plan.addEventListener("dragover", (e) => { if (dragged) e.preventDefault(); });
    plan.addEventListener("drop", (e) => {
      const over = e.target.closest("tr");
      if (!dragged || !over || over === dragged) return;
      e.preventDefault();
      const below = e.clientY > over.getBoundingClientRect().top + over.offsetHeight / 2;
      over[below ? "after" : "before"](dragged);
      const address = new URL(location.href);
      address.searchParams.set("order", sets().map((r) => r.dataset.planSet).join(","));
      location.assign(address);
    });
  }

  // The search goes on where its text ends.
  const ask = $("[data-ask]");
  if (ask) ask.setSelectionRange(ask.value.length, ask.value.length);

  // Keys.
  const rows = () => all("[data-row]").filter((r) => r.offsetParent !== null);
  let current = -1;
  function go(step) {
    const list = rows();
    if (!list.length) return;
    current = Math.max(0, Math.min(list.length - 1, current + step));
    const r = list[current];
    r.setAttribute("tabindex", "-1");
    r.focus();
    r.scrollIntoView({ block: "nearest" });
  }
  document.addEventListener("keydown", (e) => {
    if (e.key === "ArrowDown" && e.target.matches("[data-ask]")) { e.preventDefault(); current = -1; go(1); return; }
    if (e.ctrlKey || e.metaKey || e.altKey || e.target.matches("input, select, textarea") || $("dialog[open]")) return;
    const row = document.activeElement?.closest("[data-row]") || rows()[current];
    const hot = (key) => row && $(`[data-hot="${key}"]`, row);
    const actions = {
      "/": () => $("[data-key='/']").focus(),
      "?": () => $("#help").showModal(),
      j: () => go(1),
      k: () => go(-1),
      b: () => hot("b")?.click(),
      x: () => hot("x")?.click(),
      a: () => { const c = row && $("[data-set]", row); if (c) c.click(); else hot("a")?.click(); },
      Enter: () => { if (document.activeElement === row) (row && $("[data-open]", row))?.click(); },
    };
    const link = $(`[data-link="${CSS.escape(e.key)}"]`);
    if (link) { e.preventDefault(); link.click(); return; }
    const field = e.key === "x" && !hot("x") && $("[data-focus='x']");
    if (field) { e.preventDefault(); field.focus(); return; }
    if (actions[e.key]) { if (e.key !== "Enter") e.preventDefault(); actions[e.key](); }
  });
})();
