(() => {
  'use strict';
  const byId = id => document.getElementById(id);
  const run = JSON.parse(byId('run').textContent);
  const still = matchMedia('(prefers-reduced-motion: reduce)');

  // Each column holds whole numbers: seven bits a byte, folded signs, repeats counted.
  function column(text, count) {
    const bytes = atob(text);
    const values = new Int32Array(count);
    let at = 0, put = 0;
    const number = () => {
      let value = 0, scale = 1, byte;
      do {
        byte = bytes.charCodeAt(at++);
        value += (byte & 127) * scale;
        scale *= 128;
      } while (byte & 128);
      return value;
    };
    while (put < count) {
      const token = number();
      const folded = Math.floor(token / 2);
      const value = folded % 2 ? -(folded + 1) / 2 : folded / 2;
      const times = token % 2 ? number() + 2 : 1;
      values.fill(value, put, put + times);
      put += times;
    }
    return values;
  }

  const count = run.segments;
  const [right, away, takes, pens, lines] = run.columns.map(text => column(text, count));
  // Where each segment ends, when, and in which line of the program it stands.
  const x = new Float32Array(count + 1), y = new Float32Array(count + 1);
  const ends = new Float64Array(count + 1), line = new Int32Array(count + 1);
  let px = 0, py = 0, time = 0, spoken = run.lines_before;
  x[0] = run.zero[0]; y[0] = run.zero[1]; line[0] = spoken;
  for (let n = 0; n < count; n++) {
    px += right[n]; py += away[n]; time += takes[n]; spoken += lines[n];
    x[n + 1] = run.zero[0] + px * run.step_mm;
    y[n + 1] = run.zero[1] + py * run.step_mm;
    ends[n + 1] = time * run.step_s;
    line[n + 1] = spoken;
  }
  const total = ends[count];
  const partOf = new Int32Array(count);
  run.parts.forEach((part, n) => {
    const end = n + 1 < run.parts.length ? run.parts[n + 1].begins : count;
    partOf.fill(n, part.begins, end);
  });

  /** The number of segments that have ended at a time. */
  function ended(seconds) {
    let low = 0, high = count;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (ends[middle] <= seconds) low = middle; else high = middle - 1;
    }
    return low;
  }

  /** Mean speed about a segment, mm/s: over at least 5 ms where its pen stays. */
  function speedAt(n) {
    let from = n, to = n, way = 0;
    const leg = k => Math.hypot(x[k + 1] - x[k], y[k + 1] - y[k]);
    while (to + 1 < count && pens[to + 1] === pens[n] && ends[to + 1] - ends[from] < 0.005) to++;
    while (from > 0 && pens[from - 1] === pens[n] && ends[to + 1] - ends[from] < 0.005) from--;
    for (let k = from; k <= to; k++) way += leg(k);
    const seconds = ends[to + 1] - ends[from];
    return seconds > 0 ? way / seconds : 0;
  }

  // Colours.
  const tints = [[154, 192, 180], [217, 178, 74], [208, 112, 51], [150, 47, 69], [58, 29, 77]];
  const shade = share => {
    const at = Math.min(Math.max(share, 0), 1) * (tints.length - 1);
    const low = Math.min(Math.floor(at), tints.length - 2);
    const mix = tints[low].map((v, n) => Math.round(v + (tints[low + 1][n] - v) * (at - low)));
    return `rgb(${mix.join()})`;
  };
  const shades = Array.from({ length: 33 }, (_, n) => shade(n / 32));
  const fastest = run.steps.reduce((most, step) => Math.max(most, step.speed_mm_s), 1);
  const deepest = run.parts.reduce((most, part) => Math.max(most, part.depth_mm), 0);
  const colours = {
    step: n => run.steps[run.pens[pens[n]].step].colour,
    power: n => shades[Math.round(32 * run.pens[pens[n]].s / run.full)] || shades[32],
    speed: n => shades[Math.round(32 * Math.min(speedAt(n) / fastest, 1))],
    depth: n => shades[Math.round(32 * (deepest ? run.parts[partOf[n]].depth_mm / deepest : 0))],
  };

  const scales = {
    step: 'colours are those of the steps below; grey is still to come',
    power: 'pale to dark: 0 to 100 % of full power',
    speed: `pale to dark: 0 to ${+fastest.toFixed(1)} mm/s`,
    depth: `pale to dark: 0 to ${+deepest.toFixed(3)} mm deep`,
  };

  // The view: mm of the bed to pixels of the canvas.
  const canvas = byId('play'), screen = canvas.getContext('2d');
  const under = document.createElement('canvas'), over = document.createElement('canvas');
  const faint = under.getContext('2d'), strong = over.getContext('2d');
  const view = { scale: 1, x: 0, y: 0 };
  let drawnFaint = 0, drawnStrong = 0, asked = 0;

  const show = () => ({
    colour: byId('colour').value,
    travel: byId('travel').checked,
  });
  function fit() {
    const [x0, y0, x1, y1] = run.shown;
    const room = 0.94;
    view.scale = room * Math.min(canvas.width / (x1 - x0 || 1), canvas.height / (y1 - y0 || 1));
    view.x = canvas.width / 2 - (x0 + x1) / 2 * view.scale;
    view.y = canvas.height / 2 + (y0 + y1) / 2 * view.scale;
    afresh();
  }
  function resize() {
    const dense = Math.min(window.devicePixelRatio || 1, 2);
    const width = Math.max(Math.round(canvas.clientWidth * dense), 64);
    const height = Math.max(Math.round(canvas.clientHeight * dense), 64);
    if (width === canvas.width && height === canvas.height) return;
    for (const one of [canvas, under, over]) { one.width = width; one.height = height; }
    fit();
  }
  const sx = mm => view.x + mm * view.scale;
  const sy = mm => view.y - mm * view.scale;
  function afresh() {
    drawnFaint = 0;
    drawnStrong = 0;
    faint.clearRect(0, 0, under.width, under.height);
    strong.clearRect(0, 0, over.width, over.height);
    ask();
  }
  function zoom(by, cx = canvas.width / 2, cy = canvas.height / 2) {
    const scale = Math.min(Math.max(view.scale * by, 0.01), 20000);
    by = scale / view.scale;
    view.x = cx - (cx - view.x) * by;
    view.y = cy - (cy - view.y) * by;
    view.scale = scale;
    afresh();
  }
  function pan(dx, dy) { view.x += dx; view.y += dy; afresh(); }

  /** Draws segments [from, to) in lots of one style. */
  function draw(to, from, end, colour, travel) {
    const w = to.canvas.width, h = to.canvas.height;
    let style = null, held = 0, last = -1;
    const ink = () => { if (held) to.stroke(); held = 0; last = -1; };
    for (let n = from; n < end; n++) {
      const lit = run.pens[pens[n]].s !== null;
      const rests = x[n] === x[n + 1] && y[n] === y[n + 1];
      if (!lit && (!travel || rests)) { last = -1; continue; }
      const ax = sx(x[n]), ay = sy(y[n]), bx = sx(x[n + 1]), by = sy(y[n + 1]);
      if ((ax < 0 && bx < 0) || (ax > w && bx > w) || (ay < 0 && by < 0) || (ay > h && by > h)) {
        last = -1;
        continue;
      }
      const next = lit ? colour(n) : '#9a9488';
      if (next !== style || held > 4000) {
        ink();
        style = next;
        to.strokeStyle = style;
        to.lineWidth = lit ? Math.min(Math.max(run.beam_mm * view.scale, 1.2), 9) : 0.9;
        to.lineCap = lit ? 'round' : 'butt';
        to.beginPath();
      }
      if (rests) {
        to.moveTo(ax + 1.5, ay);
        to.arc(ax, ay, 1.5, 0, 7);
        last = -1;
      } else {
        if (last !== n - 1) to.moveTo(ax, ay);
        to.lineTo(bx, by);
        last = n;
      }
      held++;
    }
    ink();
  }

  const flips = run.axes.exchanged
    ? { right: run.axes.y_reversed, away: run.axes.x_reversed }
    : { right: run.axes.x_reversed, away: run.axes.y_reversed };
  function ground() {
    const at = ([x0, y0, x1, y1]) => [sx(x0), sy(y1), (x1 - x0) * view.scale, (y1 - y0) * view.scale];
    screen.fillStyle = '#f7f5ef';
    screen.fillRect(0, 0, canvas.width, canvas.height);
    screen.fillStyle = '#ffffff';
    screen.fillRect(...at(run.field));
    if (run.stock) {
      screen.fillStyle = '#efe6d2';
      screen.beginPath();
      for (const ring of run.stock) {
        ring.forEach(([x, y], n) => n ? screen.lineTo(sx(x), sy(y)) : screen.moveTo(sx(x), sy(y)));
        screen.closePath();
      }
      screen.fill('evenodd');
    }
    // A grid of 1, 2 or 5 times a power of ten, in mm from the zero.
    const wide = 60 / view.scale;
    const ten = 10 ** Math.floor(Math.log10(wide));
    const pitch = [1, 2, 5, 10].map(n => n * ten).find(mm => mm >= wide);
    screen.strokeStyle = '#e2ddcf';
    screen.fillStyle = '#77757a';
    screen.lineWidth = 1;
    screen.font = `${Math.round(canvas.width / canvas.clientWidth * 11) || 11}px sans-serif`;
    const name = mm => String(+mm.toFixed(3));
    for (let n = Math.ceil((-view.x / view.scale - run.zero[0]) / pitch); ; n++) {
      const at = sx(run.zero[0] + n * pitch);
      if (at > canvas.width) break;
      screen.beginPath(); screen.moveTo(at, 0); screen.lineTo(at, canvas.height); screen.stroke();
      screen.fillText(name(n * pitch * (flips.right ? -1 : 1)), at + 3, canvas.height - 4);
    }
    for (let n = Math.ceil(((view.y - canvas.height) / view.scale - run.zero[1]) / pitch); ; n++) {
      const at = sy(run.zero[1] + n * pitch);
      if (at < 0) break;
      screen.beginPath(); screen.moveTo(0, at); screen.lineTo(canvas.width, at); screen.stroke();
      screen.fillText(name(n * pitch * (flips.away ? -1 : 1)), 3, at - 3);
    }
    screen.strokeStyle = '#b9b4a5';
    screen.strokeRect(...at(run.field));
    const [zx, zy] = [sx(run.zero[0]), sy(run.zero[1])];
    screen.strokeStyle = '#b3261e';
    screen.lineWidth = 2;
    screen.beginPath();
    screen.moveTo(zx - 9, zy); screen.lineTo(zx + 9, zy);
    screen.moveTo(zx, zy - 9); screen.lineTo(zx, zy + 9);
    screen.stroke();
  }

  let now = total, playing = false, before = 0;
  /** Segments that are drawn at a time before the page is shown again. */
  const lot = 60000;
  function frame(stamp) {
    asked = 0;
    if (playing) advance(stamp);
    const { colour, travel } = show();
    if (drawnFaint < count) {
      const end = Math.min(drawnFaint + lot, count);
      draw(faint, drawnFaint, end, () => '#d6d2c8', false);
      drawnFaint = end;
    }
    const done = ended(now);
    if (done < drawnStrong) {
      strong.clearRect(0, 0, over.width, over.height);
      drawnStrong = 0;
    }
    if (drawnStrong < done) {
      const end = Math.min(drawnStrong + lot, done);
      draw(strong, drawnStrong, end, colours[colour], travel);
      drawnStrong = end;
    }
    ground();
    screen.drawImage(under, 0, 0);
    screen.drawImage(over, 0, 0);
    if (drawnStrong === done) head(done, colours[colour]);
    say(done);
    if (playing || drawnFaint < count || drawnStrong < done) ask();
  }
  function ask() { if (!asked) asked = requestAnimationFrame(frame); }

  /** Where the head is. */
  function place(done) {
    if (done >= count) return [x[count], y[count]];
    const takes = ends[done + 1] - ends[done];
    const share = takes > 0 ? (now - ends[done]) / takes : 1;
    return [x[done] + (x[done + 1] - x[done]) * share, y[done] + (y[done + 1] - y[done]) * share];
  }
  function head(done, colour) {
    const [hx, hy] = place(done);
    const lit = done < count && run.pens[pens[done]].s !== null;
    if (lit) {
      screen.strokeStyle = colour(done);
      screen.lineWidth = Math.min(Math.max(run.beam_mm * view.scale, 1.2), 9);
      screen.beginPath(); screen.moveTo(sx(x[done]), sy(y[done])); screen.lineTo(sx(hx), sy(hy)); screen.stroke();
    }
    screen.lineWidth = 2;
    screen.strokeStyle = '#b3261e';
    screen.fillStyle = lit ? '#b3261e' : '#ffffff';
    screen.beginPath(); screen.arc(sx(hx), sy(hy), 6, 0, 7); screen.fill(); screen.stroke();
  }

  /** As the tool says it everywhere. */
  const clock = seconds => {
    if (seconds < 59.95) return `${seconds.toFixed(1)} s`;
    const all = Math.round(seconds), two = n => String(n).padStart(2, '0');
    const [h, m] = [Math.floor(all / 3600), Math.floor(all / 60) % 60];
    return h ? `${h} h ${two(m)} min ${two(all % 60)} s` : `${m} min ${two(all % 60)} s`;
  };
  function say(done) {
    slider.value = String(now);
    slider.setAttribute('aria-valuetext', `${clock(now)} of ${clock(total)}`);
    byId('clock').textContent = `${clock(now)} of ${clock(total)}`;
    const n = Math.min(done, count - 1);
    if (n < 0) return;
    const part = run.parts[partOf[n]], step = run.steps[part.step], pen = run.pens[pens[n]];
    const words = [`step ${part.step + 1}, ${step.name}`];
    if (part.path > 0) words.push(`part ${part.path}: ${part.label}`);
    if (part.pass > 0 && step.passes > 1) words.push(`pass ${part.pass} of ${step.passes}`);
    if (part.depth_mm > 0) words.push(`${+part.depth_mm.toFixed(3)} mm deep`);
    byId('what').textContent = done >= count ? 'the end' : words.join(', ');
    const rests = x[n] === x[n + 1] && y[n] === y[n + 1];
    const beam = pen.s === null ? 'beam off' : `burns at ${(100 * pen.s / run.full).toFixed(1)} % (S${+pen.s.toFixed(1)})`;
    const [hx, hy] = place(done);
    let [mx, my] = [hx - run.zero[0], hy - run.zero[1]];
    if (run.axes.exchanged) [mx, my] = [my, mx];
    if (run.axes.x_reversed) mx = -mx;
    if (run.axes.y_reversed) my = -my;
    const figures = done >= count ? ['beam off'] : [beam, rests ? 'the head rests' : `${speedAt(n).toFixed(1)} mm/s`];
    figures.push(`X ${mx.toFixed(2)} Y ${my.toFixed(2)} mm`);
    if (run.numbered) figures.push(`line ${line[Math.min(done + 1, count)]} of the program`);
    byId('figures').textContent = figures.join(' · ');
    byId('scale').textContent = scales[byId('colour').value];
  }

  function advance(stamp) {
    if (still.matches) {
      // Nothing glides: the picture goes on from part to part.
      if (stamp - before < 900) return;
      before = stamp;
      byPart(1);
      if (now >= total) stop();
      return;
    }
    const seconds = before ? Math.min((stamp - before) / 1000, 0.25) : 0;
    before = stamp;
    now = Math.min(now + seconds * pace(), total);
    if (now >= total) stop();
  }
  const pace = () => {
    const word = byId('pace').value;
    return word === 'whole' ? total / 30 : Number(word);
  };
  function start() {
    if (now >= total) now = 0;
    playing = true; before = 0;
    byId('go').textContent = 'Pause';
    ask();
  }
  function stop() { playing = false; byId('go').textContent = 'Play'; ask(); }
  function byPart(by) {
    const begins = run.parts.map(part => ends[part.begins]).concat([total]);
    now = by > 0 ? begins.find(t => t > now + 1e-9) ?? total
      : begins.filter(t => t < now - 1e-9).pop() ?? 0;
    ask();
  }

  const slider = byId('time');
  slider.max = String(total);
  // On a grid of steps the end need not be one of its places.
  slider.step = 'any';
  slider.addEventListener('input', () => {
    // What it says of its end may differ from the end in the last place.
    const value = Number(slider.value);
    now = value > total - 1e-3 ? total : value;
    ask();
  });
  byId('go').addEventListener('click', () => playing ? stop() : start());
  byId('back').addEventListener('click', () => byPart(-1));
  byId('on').addEventListener('click', () => byPart(1));
  byId('nearer').addEventListener('click', () => zoom(1.5));
  byId('farther').addEventListener('click', () => zoom(1 / 1.5));
  byId('fit').addEventListener('click', fit);
  byId('colour').addEventListener('change', afresh);
  byId('travel').addEventListener('change', afresh);
  canvas.addEventListener('wheel', event => {
    event.preventDefault();
    const dense = canvas.width / canvas.clientWidth;
    zoom(Math.exp(-event.deltaY / 400), event.offsetX * dense, event.offsetY * dense);
  }, { passive: false });
  const held = new Map();
  canvas.addEventListener('pointerdown', event => {
    canvas.setPointerCapture(event.pointerId);
    held.set(event.pointerId, [event.clientX, event.clientY]);
  });
  canvas.addEventListener('pointermove', event => {
    if (!held.has(event.pointerId)) return;
    const dense = canvas.width / canvas.clientWidth;
    const was = held.get(event.pointerId), is = [event.clientX, event.clientY];
    const other = [...held.entries()].find(([id]) => id !== event.pointerId);
    if (other) {
      const apart = ([ax, ay], [bx, by]) => Math.hypot(ax - bx, ay - by) || 1;
      const box = canvas.getBoundingClientRect();
      zoom(apart(is, other[1]) / apart(was, other[1]),
        (other[1][0] - box.left) * dense, (other[1][1] - box.top) * dense);
    } else {
      pan((is[0] - was[0]) * dense, (is[1] - was[1]) * dense);
    }
    held.set(event.pointerId, is);
  });
  for (const end of ['pointerup', 'pointercancel']) {
    canvas.addEventListener(end, event => held.delete(event.pointerId));
  }
  canvas.addEventListener('keydown', event => {
    const far = canvas.width / 10;
    const keys = {
      ' ': () => playing ? stop() : start(),
      ArrowLeft: () => pan(far, 0), ArrowRight: () => pan(-far, 0),
      ArrowUp: () => pan(0, far), ArrowDown: () => pan(0, -far),
      '+': () => zoom(1.5), '-': () => zoom(1 / 1.5), 0: fit,
      n: () => byPart(1), p: () => byPart(-1),
    };
    if (event.ctrlKey || event.metaKey || event.altKey || !keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });
  if (!deepest) byId('colour').querySelector('[value=depth]').remove();
  new ResizeObserver(resize).observe(canvas);

  // When it ends, were it started now.
  const until = () => {
    const end = new Date(Date.now() + run.seconds * 1000);
    byId('ends').textContent = `started now it ends at ${end.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })}`;
  };
  until();
  setInterval(until, 15000);
  resize();
  ask();
})();
