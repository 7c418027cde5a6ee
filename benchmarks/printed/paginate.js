// Lays the parts of #flow on pages: fills the columns of a page, sets its notes at the foot,
// divides paragraphs where a page ends, and starts the next page. Runs once, before printing.
"use strict";
const flow = document.getElementById("flow");
const sheet = document.getElementById("sheet");
const facts = JSON.parse(document.getElementById("facts").textContent);
let count = 0;
let page, body, notes;

function newPage() {
  count += 1;
  page = sheet.content.firstElementChild.cloneNode(true);
  const number = facts.first + count - 1;
  page.classList.add(number % 2 ? "right" : "left");
  for (const element of page.querySelectorAll(".folio")) element.textContent = number;
  for (const element of page.querySelectorAll(number % 2 ? ".onleft" : ".onright")) element.remove();
  if (count === 1 && facts.bare) for (const element of page.querySelectorAll(".running")) element.remove();
  document.body.append(page);
  body = page.querySelector(".body");
  notes = page.querySelector(".notes");
}

function over() {
  return body.scrollWidth > body.clientWidth + 1 || body.scrollHeight > body.clientHeight + 1;
}

// Moves what stands behind the first `words` words of an element to a new element of its kind.
function cut(element, words) {
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  let left = words;
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    for (let at = 0; at < node.data.length; at++) {
      if (node.data[at] === " " && --left === 0) {
        const range = document.createRange();
        range.setStart(node, at + 1);
        range.setEndAfter(element.lastChild);
        const rest = element.cloneNode(false);
        rest.append(range.extractContents());
        rest.classList.add("goeson");
        return rest;
      }
    }
  }
  return null;
}

function noteOf(part) {
  const note = part.querySelector(":scope template.note");
  if (!note || !notes) return null;
  const element = note.content.firstElementChild.cloneNode(true);
  notes.append(element);
  return element;
}

function place(part) {
  body.append(part);
  const note = noteOf(part);
  if (part.classList.contains("fixed") || !over()) return null;
  if (note) note.remove();
  if (note && !over()) { noteOf(part); return null; }  // a tight foot: let the notes grow
  if (part.classList.contains("splits")) {
    const total = (part.textContent.match(/ /g) || []).length;
    const whole = part.innerHTML;
    let low = 0, high = total;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      part.innerHTML = whole;
      const rest = cut(part, middle);
      if (rest !== null && !over()) low = middle; else high = middle - 1;
    }
    part.innerHTML = whole;
    if (low >= 12 && total - low >= 6) {
      const rest = cut(part, low);
      if (part.querySelector("template.note")) noteOf(part);
      return [rest];
    }
  }
  part.remove();
  const moved = [part];
  while (body.lastElementChild && body.lastElementChild.classList.contains("keeps"))
    moved.unshift(body.removeChild(body.lastElementChild));
  return moved;
}

async function layOut() {
await Promise.all([...document.fonts].map(face => face.load()));
const waiting = [...flow.children];
flow.remove();
newPage();
while (waiting.length && count <= facts.most) {
  const fresh = body.children.length === 0;
  const part = waiting.shift();
  const rest = place(part);
  if (rest === null) continue;
  if (fresh && rest[0] === part) continue;  // larger than a page: left out
  waiting.unshift(...rest);
  if (count === facts.most) break;
  newPage();
}
// notes in the margin stand level with the paragraph that they belong to
for (const mark of document.querySelectorAll("template.aside")) {
  const home = mark.closest("section");
  const element = mark.content.firstElementChild.cloneNode(true);
  element.style.top = `${mark.parentElement.getBoundingClientRect().top - home.getBoundingClientRect().top}px`;
  home.append(element);
}
// texts that must fit a box of their own lose their last words
for (const box of document.querySelectorAll(".fits")) {
  let guard = 4000;
  while (box.scrollHeight > box.clientHeight + 1 || box.scrollWidth > box.clientWidth + 1) {
    const last = box.lastElementChild;
    if (!last || guard-- === 0) break;
    const total = (last.textContent.match(/ /g) || []).length;
    const rest = total > 12 ? cut(last, total - 6) : null;
    if (rest === null) last.remove();
  }
}
document.title = "ready";
}
layOut();
