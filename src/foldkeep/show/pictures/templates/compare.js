// Two contents of a set, laid over one another where they agree: pictures, frames of films, waves of sounds.
const compared = { set: null, other: 1, mode: "side", front: 1, moment: 0, zoom: 1, x: 0, y: 0, heard: 0 };
const MODES = { side: "Side by side (S)", blink: "Blink (B)", difference: "Difference (D)" };
const NAMES = ["first", "second"], COLORS = ["#0b5f9e", "#d8620b"];
const players = [];

const canCompare = set => (set.sides || []).length > 1;
const side = () => compared.set.sides[compared.other];
const clock = seconds => `${Math.floor(seconds / 60)}:${(seconds % 60).toFixed(1).padStart(4, "0")}`;
const copyOf = number => compared.set.copies[compared.set.sides[number ? compared.other : 0].copy];

function openCompare(set) {
  Object.assign(compared, { set, other: 1, mode: "side", front: 1, moment: 0, zoom: 1, x: 0, y: 0, heard: 0 });
  const choice = $("other");
  choice.textContent = "";
  set.sides.forEach((each, n) => { if (n) choice.append(new Option(set.copies[each.copy].path, n)); });
  choice.hidden = set.sides.length < 3;
  $("compare").showModal();
  $("leave").focus();
  layOut();
}
function closeCompare() { stop(); $("panes").textContent = ""; }

function layOut() {
  stop();
  const { set } = compared, isSound = set.kind === "audio";
  compared.moment = Math.min(compared.moment, Math.max(0, pictures(1).length - 1));
  $("modes").textContent = "";
  if (!isSound) for (const [mode, name] of Object.entries(MODES)) {
    const button = make("button", "", name);
    button.dataset.mode = mode;
    button.setAttribute("aria-pressed", compared.mode === mode);
    button.onclick = () => setMode(mode);
    $("modes").append(button);
  }
  for (const [word, name, act] of isSound
    ? [["play", "Play or pause (Space)", play], ["switch", "Hear the other (X)", hearOther]]
    : [["fit", "Whole (0)", fit]]) {
    const button = make("button", "", name);
    button.dataset.act = word;
    button.onclick = act;
    $("modes").append(button);
  }
  tell();
  const panes = $("panes");
  panes.textContent = "";
  if (isSound) showWaves(panes);
  else if (compared.mode === "side") panes.append(pane([0]), pane([1]));
  else panes.append(pane([0, 1]));
  showMoments();
  place();
}

function tell() {
  const { set } = compared, it = side(), told = $("told");
  told.textContent = "";
  told.append(make("b", "", it.like === undefined ? "not measured to be alike" : `${Math.round(it.like * 100)}% alike`));
  const words = [set.copies[it.copy].reason], says = set.copies[set.sides[0].copy].says;
  if (says) words.unshift(`the ${NAMES[0]}: ${says}`, `the ${NAMES[1]}: ${set.copies[it.copy].says}`);
  if (it.cut) words.unshift("the frame is what the crop shows");
  if (set.kind !== "photo" && it.offset) words.unshift(`the second begins ${Math.abs(it.offset).toFixed(1)} s ${it.offset > 0 ? "into" : "before"} the first`);
  if (set.kind === "audio") told.append(" · you hear ", make("b", NAMES[compared.heard], `the ${NAMES[compared.heard]}`));
  told.append(make("span", "quiet", " · " + words.join(" · ")));
  $("hint").hidden = set.kind === "audio";
}

function pictures(number) {
  const it = side();
  if (compared.set.kind === "video") return number ? it.pictures : it.first || [];
  return number ? it.pictures : compared.set.sides[0].pictures;
}

function pane(numbers) {
  const node = make("div", "pane"), stage = make("div", "stage" + (numbers.length > 1 ? " " + compared.mode : ""));
  const world = make("div", "world");
  for (const number of numbers) {
    const data = pictures(number)[compared.moment];
    if (!data) { stage.append(make("p", "quiet", "There is no picture of it.")); continue; }
    const image = make("img");
    image.alt = NAMES[number];
    image.dataset.number = number;
    image.src = "data:image/jpeg;base64," + data;
    image.onload = place;
    world.append(image);
    loadOriginal(image, copyOf(number));
  }
  if (side().cut && numbers.includes(side().on_first ? 0 : 1)) world.append(make("div", "edge"));
  stage.append(world);
  hold(stage);
  node.append(stage);
  for (const number of numbers) node.append(under(number));
  return node;
}

// What is embedded is small; where the file is there and the browser can show it, its own pixels are.
function loadOriginal(image, copy) {
  if (compared.set.kind !== "photo" || !copy.here) return;
  const whole = new Image();
  whole.onload = () => { image.src = whole.src; };
  whole.src = copy.uri;
}

function under(number) {
  const node = make("div", "under"), copy = copyOf(number), acts = make("div", "acts"), where = make("div", "where");
  for (const action of ACTIONS) {
    const button = make("button", copy.action === action ? "on" : "", action);
    button.dataset.act = action;
    button.setAttribute("aria-pressed", copy.action === action);
    button.onclick = () => decide(number, action);
    acts.append(button);
  }
  const path = make("div");
  path.title = copy.path;
  path.append(make("b", NAMES[number], NAMES[number] + " "), make("bdi", "", copy.path));
  where.append(path, make("div", "why", `${size(copy.size)} · ${copy.modified} · ${copy.reason}`));
  node.dataset.number = number;
  node.append(acts, where);
  return node;
}
function decide(number, action) {
  const copy = copyOf(number);
  setAction(compared.set, copy, action);
  const old = [...document.querySelectorAll("#panes .under")].find(node => node.dataset.number === String(number));
  if (old) old.replaceWith(under(number));
  tell();
}

// One world for all panes: the picture that the other lies on fills it; both are zoomed and moved as one.
function place() {
  for (const stage of document.querySelectorAll("#panes .stage")) {
    const world = stage.querySelector(".world"), it = side();
    const ground = it.on_first === false ? 1 : 0;
    const [width, height] = shape(ground);
    if (!width) continue;
    const scale = Math.min(stage.clientWidth / width, stage.clientHeight / height);
    const w = width * scale, h = height * scale;
    world.style.width = w + "px";
    world.style.height = h + "px";
    const left = (stage.clientWidth - w) / 2, top = (stage.clientHeight - h) / 2;
    world.style.transform = `translate(${left + compared.x * w}px, ${top + compared.y * h}px) scale(${compared.zoom})`;
    for (const image of world.querySelectorAll("img")) {
      const isGround = Number(image.dataset.number) === ground;
      if (isGround) lay(image, w, h, [0, 0, 0, 0], 0, [0, 0, 0, 0]);
      else lay(image, w, h, it.cut || border(ground), it.layout || 0, border(1 - ground));
      image.style.visibility = compared.mode === "blink" && Number(image.dataset.number) !== compared.front ? "hidden" : "";
    }
    const edge = world.querySelector(".edge");
    if (edge) {
      const [l, t, r, b] = it.cut;
      Object.assign(edge.style, { left: l * 100 + "%", top: t * 100 + "%", right: r * 100 + "%", bottom: b * 100 + "%" });
      edge.style.borderWidth = 2 / compared.zoom + "px";
    }
  }
  for (const node of document.querySelectorAll("#panes .under"))
    node.hidden = compared.mode === "blink" && Number(node.dataset.number) !== compared.front;
}
function shape(number) {
  const image = document.querySelector(`#panes img[data-number="${number}"]`) || document.querySelector("#panes img");
  return image && image.naturalWidth ? [image.naturalWidth, image.naturalHeight] : [0, 0];
}
// What lies on one another may lie within a border: of the first or of the second.
function border(number) {
  const it = side(), parts = number ? it.border : it.first_border;
  return parts && parts.length ? parts : [0, 0, 0, 0];
}
// Lay what an image shows within its border on a part of the ground.
function lay(image, w, h, [l, t, r, b], layout, [left, top, right, bottom]) {
  const width = (1 - l - r) * w, height = (1 - t - b) * h, turned = layout & 4;
  const own = [(turned ? height : width) / (1 - left - right), (turned ? width : height) / (1 - top - bottom)];
  const off = [(right - left) / 2 * own[0], (bottom - top) / 2 * own[1]];
  if (turned) off.reverse();
  const [across, down] = [layout & 1 ? -1 : 1, layout & 2 ? -1 : 1];
  Object.assign(image.style, {
    width: own[0] + "px", height: own[1] + "px",
    left: l * w + (width - own[0]) / 2 + across * off[0] + "px", top: t * h + (height - own[1]) / 2 + down * off[1] + "px",
    transform: `scale(${across}, ${down})` + (turned ? " matrix(0, 1, 1, 0, 0, 0)" : ""),
  });
}

function zoomAt(stage, by, clientX, clientY) {
  const box = stage.querySelector(".world").getBoundingClientRect();
  const zoom = Math.min(40, Math.max(1, compared.zoom * by)), change = zoom / compared.zoom;
  const w = box.width / compared.zoom, h = box.height / compared.zoom;
  compared.x += (clientX - box.left) * (1 - change) / w;
  compared.y += (clientY - box.top) * (1 - change) / h;
  compared.zoom = zoom;
  if (zoom === 1) compared.x = compared.y = 0;
  place();
}
function moveBy(stage, dx, dy) {
  const box = stage.querySelector(".world").getBoundingClientRect();
  compared.x += dx / (box.width / compared.zoom);
  compared.y += dy / (box.height / compared.zoom);
  place();
}
function hold(stage) {
  stage.addEventListener("wheel", event => { event.preventDefault(); zoomAt(stage, Math.exp(-event.deltaY / 400), event.clientX, event.clientY); });
  stage.addEventListener("pointerdown", event => { stage.setPointerCapture(event.pointerId); stage.classList.add("held"); });
  stage.addEventListener("pointermove", event => { if (stage.classList.contains("held")) moveBy(stage, event.movementX, event.movementY); });
  for (const end of ["pointerup", "pointercancel"]) stage.addEventListener(end, () => stage.classList.remove("held"));
}
function fit() { Object.assign(compared, { zoom: 1, x: 0, y: 0 }); place(); }
function setMode(mode) {
  if (mode === "blink" && compared.mode === "blink") { compared.front = 1 - compared.front; place(); return; }
  compared.mode = mode;
  layOut();
}

function showMoments() {
  const line = $("moments");
  line.textContent = "";
  if (compared.set.kind !== "video") return;
  (side().moments || []).forEach((moment, n) => {
    const button = make("button", "", clock(moment));
    button.setAttribute("aria-pressed", n === compared.moment);
    if (n === compared.moment) button.className = "main";
    button.onclick = () => { compared.moment = n; layOut(); };
    line.append(button);
  });
}
function stepMoment(by) {
  const count = (side().moments || []).length;
  if (count) { compared.moment = (compared.moment + by + count) % count; layOut(); }
}

// Sounds: both waves on one line of time, that of the first; either is heard at the same moment.
function waves() {
  const [first, second] = [compared.set.sides[0], side()];
  return [first, second].map((each, n) => ({
    swings: each.swings ? Uint8Array.from(atob(each.swings), c => c.charCodeAt(0)) : new Uint8Array(0),
    step: each.seconds || 1, start: n ? second.offset || 0 : 0,
  }));
}
function span(both) {
  const start = Math.min(...both.map(each => each.start)), end = Math.max(...both.map(each => each.start + each.swings.length * each.step));
  return [start, Math.max(end, start + 0.1)];
}
function showWaves(panes) {
  const node = make("div", "pane"), canvas = make("canvas");
  canvas.id = "waves";
  canvas.onclick = event => { const [start, end] = span(waves()), box = canvas.getBoundingClientRect(); seek(start + (event.clientX - box.left) / box.width * (end - start)); };
  node.append(canvas, under(0), under(1));
  panes.append(node);
  players.splice(0, 2, ...[0, 1].map(number => {
    const player = make("audio"), copy = copyOf(number);
    if (copy.here) player.src = copy.uri;
    player.muted = number !== compared.heard;
    player.ontimeupdate = () => { if (number === compared.heard) drawWaves(); };
    return player;
  }));
  requestAnimationFrame(drawWaves);
}
function drawWaves() {
  const canvas = $("waves");
  if (!canvas) return;
  canvas.width = canvas.clientWidth;
  canvas.height = canvas.clientHeight;
  const pen = canvas.getContext("2d"), both = waves(), [start, end] = span(both), middle = canvas.height / 2;
  both.forEach((each, n) => {
    const loudest = Math.max(1, each.swings.reduce((most, swing) => Math.max(most, swing), 0)), halves = [];
    for (let x = 0; x < canvas.width; x++) {
      const from = (start + x / canvas.width * (end - start) - each.start) / each.step;
      const to = (start + (x + 1) / canvas.width * (end - start) - each.start) / each.step;
      let swing = 0;
      for (let at = Math.max(0, Math.floor(from)); at < Math.min(each.swings.length, Math.max(to, Math.floor(from) + 1)); at++) swing = Math.max(swing, each.swings[at]);
      halves.push(swing / loudest * (middle - 8));
    }
    // The first is filled, the second an outline over it: where both are one, neither hides the other.
    pen.fillStyle = pen.strokeStyle = COLORS[n];
    pen.globalAlpha = n ? 1 : 0.45;
    if (!n) return halves.forEach((half, x) => half && pen.fillRect(x, middle - half, 1, 2 * half));
    for (const way of [-1, 1]) {
      pen.beginPath();
      halves.forEach((half, x) => pen.lineTo(x, middle + way * half));
      pen.stroke();
    }
  });
  pen.globalAlpha = 1;
  const player = players[compared.heard];
  if (player && player.src) {
    pen.fillStyle = "#22262a";
    pen.fillRect((player.currentTime + both[compared.heard].start - start) / (end - start) * canvas.width, 0, 2, canvas.height);
  }
}
function seek(moment) {
  players.forEach((player, n) => { player.currentTime = Math.max(0, moment - waves()[n].start); });
  drawWaves();
}
function play() {
  const player = players[compared.heard];
  if (player.paused) player.play().catch(() => tellState("the browser cannot play it")); else player.pause();
}
function hearOther() {
  const old = players[compared.heard], both = waves(), moment = old.currentTime + both[compared.heard].start, isPlaying = !old.paused;
  old.pause();
  compared.heard = 1 - compared.heard;
  const player = players[compared.heard];
  player.muted = false;
  player.currentTime = Math.max(0, moment - both[compared.heard].start);
  if (isPlaying) player.play().catch(() => tellState("the browser cannot play it"));
  drawWaves();
  tell();
}
function stop() { for (const player of players) player.pause(); players.length = 0; }

$("other").onchange = () => { compared.other = Number($("other").value); layOut(); };
$("compare").addEventListener("close", closeCompare);
$("leave").onclick = () => $("compare").close();
window.addEventListener("resize", () => { if ($("compare").open) { place(); drawWaves(); } });
document.addEventListener("keydown", event => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (!$("compare").open) {
    if (event.key.toLowerCase() === "c" && at && canCompare(at.set) && !$("view").open && !["INPUT", "SELECT"].includes(document.activeElement.tagName)) openCompare(at.set);
    return;
  }
  const stage = document.querySelector("#panes .stage"), isSound = compared.set.kind === "audio", isFilm = compared.set.kind === "video";
  const box = stage ? stage.getBoundingClientRect() : { left: 0, top: 0, width: 0, height: 0 };
  const zoom = by => stage && zoomAt(stage, by, box.left + box.width / 2, box.top + box.height / 2);
  const keys = {
    s: () => !isSound && setMode("side"), b: () => !isSound && setMode("blink"), d: () => !isSound && setMode("difference"),
    0: fit, "+": () => zoom(1.4), "=": () => zoom(1.4), "-": () => zoom(1 / 1.4),
    " ": () => isSound ? play() : setMode("blink"), x: () => isSound && hearOther(),
    ArrowLeft: () => isFilm ? stepMoment(-1) : stage && moveBy(stage, 60, 0), ArrowRight: () => isFilm ? stepMoment(1) : stage && moveBy(stage, -60, 0),
    ArrowUp: () => stage && moveBy(stage, 0, 60), ArrowDown: () => stage && moveBy(stage, 0, -60),
  };
  const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (act && document.activeElement.tagName !== "SELECT") { event.preventDefault(); act(); }
});
