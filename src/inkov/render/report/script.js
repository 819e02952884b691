"use strict";
document.querySelectorAll("[data-script]").forEach(e => { e.hidden = false; });
const text = document.getElementById("find"), rule = document.getElementById("rule");
const boxes = [...document.querySelectorAll("input[name=severity]")];
const cards = [...document.querySelectorAll("article.f")].map(e => [e, e.textContent.toLowerCase()]);
const told = document.getElementById("told");
function filter() {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  const on = new Set(boxes.filter(b => b.checked).map(b => b.value));
  let shown = 0;
  for (const [card, all] of cards) {
    const fits = on.has(card.dataset.severity) && (!rule.value || card.dataset.rules.split(" ").includes(rule.value))
      && words.every(w => all.includes(w));
    card.hidden = !fits;
    shown += fits;
  }
  told.textContent = `${shown} of ${cards.length} findings`;
}
if (text) {
  [text, rule, ...boxes].forEach(e => e.addEventListener("input", filter));
  document.getElementById("fold").addEventListener("click", () => {
    const all = [...document.querySelectorAll("article.f details")], open = all.some(d => !d.open);
    all.forEach(d => { d.open = open; });
  });
}
document.querySelectorAll("table[data-sort] thead th").forEach((head, column) => {
  const own = [...head.parentElement.children].indexOf(head), table = head.closest("table");
  const button = document.createElement("button");
  button.type = "button";
  button.append(...head.childNodes);
  head.append(button);
  button.addEventListener("click", () => {
    const down = head.getAttribute("aria-sort") === "ascending";
    [...head.parentElement.children].forEach(h => h.removeAttribute("aria-sort"));
    head.setAttribute("aria-sort", down ? "descending" : "ascending");
    const rows = [...table.tBodies[0].rows];
    const order = new Intl.Collator("en", { numeric: true });
    rows.sort((a, b) => order.compare(a.cells[own].textContent, b.cells[own].textContent) * (down ? -1 : 1));
    table.tBodies[0].append(...rows);
  });
});
function opened() {
  const name = decodeURIComponent(location.hash.slice(1)), at = name && document.getElementById(name);
  for (let e = at; e; e = e.parentElement) if (e.tagName === "DETAILS") e.open = true;
  if (at) { const inner = at.querySelector("details"); if (inner && at.matches("article,.switch")) inner.open = true; at.scrollIntoView(); }
}
addEventListener("hashchange", opened);
opened();
