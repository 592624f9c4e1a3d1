(() => {
  const all = [...document.querySelectorAll("details.scenario")];
  const find = document.getElementById("find"), tag = document.getElementById("tag"), shown = document.getElementById("shown");
  const states = [...document.querySelectorAll("input[name=state]")];
  const apply = () => {
    const text = find.value.trim().toLowerCase(), want = tag.value;
    const on = new Set(states.filter(s => s.checked).map(s => s.value));
    let n = 0;
    for (const d of all) {
      const yes = on.has(d.dataset.verdict) && (!text || d.dataset.text.includes(text)) && (!want || d.dataset.groups.split("\n").includes(want));
      d.classList.toggle("hidden", !yes);
      if (yes) n++;
    }
    for (const h of document.querySelectorAll("h3.file")) {
      let next = h.nextElementSibling, any = false;
      while (next && next.tagName === "DETAILS") { any = any || !next.classList.contains("hidden"); next = next.nextElementSibling; }
      h.classList.toggle("hidden", !any);
    }
    shown.textContent = n + " of " + all.length + " shown";
  };
  let waiting;
  find.addEventListener("input", () => { clearTimeout(waiting); waiting = setTimeout(apply, 120); });
  for (const c of [tag, ...states]) c.addEventListener("change", apply);
  const reach = () => {
    const at = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    for (let d = at; d; d = d.parentElement) {
      if (d.tagName === "DETAILS") { d.open = true; d.classList.remove("hidden"); }
    }
    if (at) at.scrollIntoView();
  };
  addEventListener("hashchange", reach);
  addEventListener("keydown", e => {
    if (e.key === "/" && !/INPUT|SELECT/.test(document.activeElement.tagName)) { e.preventDefault(); find.focus(); }
    if (e.key === "Escape" && document.activeElement === find) { find.value = ""; apply(); }
  });
  addEventListener("beforeprint", () => { for (const d of all) if (/failed|blocked/.test(d.dataset.verdict)) d.open = true; });
  apply();
  reach();
})();
