/**
 * A pen's stroke as it is shown while it is drawn: steadied, with its width. Step by step what `core::draw::stroke` does
 * with it, which tells the methods: so the line that stays is the one that was seen. Held to it by tests/strokes.json.
 */
import type { Pen } from '../types/Pen';
import type { Pt } from '../types/Pt';
import type { Sample } from '../types/Sample';

/** x, y and width, px of the sheet. */
export type Inked = [number, number, number];

const MOST_PLACES = 40_000;
const CALMEST = 30;
const CORNER = 50;
const SEEN = 5;
const SEEN_CALM = 12;
const SHARP = 15;
const QUICK = 1.2;
const FLAT = 60;

const clamp = (v: number, from: number, to: number) => Math.min(to, Math.max(from, v));
const apart = (a: Pt, b: Pt) => Math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2);
const between = (a: Pt, b: Pt, t: number): Pt => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
const placeOf = (s: Sample): Pt => [s[0], s[1]];

/** What a device tells at a place of the sheet: a mouse knows no pressure, an upright pen no tilt. */
export function sampleAt([x, y]: Pt, e: PointerEvent): Sample {
    const isPen = e.pointerType === 'pen';
    const tilts = isPen && (e.tiltX !== 0 || e.tiltY !== 0);
    return [x, y, isPen ? e.pressure : null, tilts ? [e.tiltX, e.tiltY] : null, e.timeStamp];
}

/** The turn from one way to the next, degrees. */
function turned(a: Pt, b: Pt, c: Pt): number {
    const [u, v]: [Pt, Pt] = [
        [b[0] - a[0], b[1] - a[1]],
        [c[0] - b[0], c[1] - b[1]],
    ];
    return (Math.abs(Math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])) * 180) / Math.PI;
}

function widthAt(pen: Pen, pressure: number, tilt: number, speed: number): number {
    const { follows } = pen;
    let share = 1;
    if (follows.by === 'pressure') share = follows.least + (1 - follows.least) * Math.pow(pressure, follows.bend);
    else if (follows.by === 'speed') share = 1 - ((1 - follows.least) * speed) / (speed + QUICK * pen.grain);
    return pen.width * share * (1 + pen.tilt * tilt);
}

function told([, , pressure, tilt]: Sample): [number, number] {
    return [clamp(pressure ?? 1, 0, 1), tilt ? Math.min(1, Math.hypot(tilt[0], tilt[1]) / FLAT) : 0];
}

function readEvenly(samples: Sample[], pen: Pen): { way: Pt[]; widths: number[]; step: number } {
    const at = samples.map(placeOf);
    const last = samples.length - 1;
    const run = [0];
    for (let k = 1; k <= last; k++) run.push(run[k - 1]! + apart(at[k]!, at[k - 1]!));
    const whole = run[last]!;
    const fine = clamp(Math.min(0.25 * pen.width, 0.3 * pen.grain), 0.15, 1);
    const count = Math.max(1, Math.ceil(whole / Math.max(fine, whole / MOST_PLACES)));
    const step = whole > 0 ? whole / count : fine;
    const speed = (k: number) => {
        const [a, b] = [samples[k]![4], samples[k + 1]![4]];
        return a !== null && b !== null && b > a ? (run[k + 1]! - run[k]!) / (b - a) : 0;
    };
    const way: Pt[] = [];
    const widths: number[] = [];
    for (let n = 0, k = 0; n <= count; n++) {
        const s = n === count ? whole : n * step;
        while (k + 2 < samples.length && run[k + 1]! < s) k++;
        const next = Math.min(k + 1, last);
        const t = run[next]! > run[k]! ? clamp((s - run[k]!) / (run[next]! - run[k]!), 0, 1) : 0;
        way.push(between(at[k]!, at[next]!, t));
        const [[p, a], [q, b]] = [told(samples[k]!), told(samples[next]!)];
        widths.push(widthAt(pen, p + (q - p) * t, a + (b - a) * t, next > k ? speed(k) : 0));
    }
    for (let k = 1; k < last; k++) {
        if (turned(at[k - 1]!, at[k]!, at[k + 1]!) > SHARP) way[Math.round(run[k]! / step)] = at[k]!;
    }
    [way[0], way[count]] = [at[0]!, at[last]!];
    return { way, widths, step };
}

function cornersOf(way: Pt[], reach: number, step: number): number[] {
    const n = way.length;
    // Nearer ones along the way cannot lie so far off; a sharp sample may lie half a step beside its place.
    const least = Math.max(1, Math.floor(reach / step) - 2);
    const far = reach * reach;
    const isNear = (a: Pt, b: Pt) => (a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 < far;
    const seen = way.map((p, k): [number, number, number] | null => {
        let [before, behind] = [k - least, k + least];
        while (before >= 0 && isNear(way[before]!, p)) before--;
        while (behind < n && isNear(way[behind]!, p)) behind++;
        return before < 0 || behind >= n ? null : [before, behind, turned(way[before]!, p, way[behind]!)];
    });
    const turn = (k: number) => seen[k]?.[2] ?? 0;
    const corners: number[] = [];
    seen.forEach((s, k) => {
        if (!s || s[2] <= CORNER) return;
        for (let o = s[0]; o <= s[1]; o++) if (turn(o) > s[2] || (turn(o) === s[2] && o < k)) return;
        corners.push(k);
    });
    return corners;
}

const boxRadius = (deviation: number) => Math.round((Math.sqrt(1 + 4 * deviation * deviation) - 1) / 2);

type Numbers = Float64Array<ArrayBuffer>;

function runningMean(list: Numbers, radius: number): Numbers {
    const span = 2 * radius + 1;
    let sum = 0;
    for (let k = 0; k < span; k++) sum += list[k]!;
    const out = new Float64Array(list.length - span + 1);
    out[0] = sum / span;
    for (let k = span; k < list.length; k++) {
        sum += list[k]! - list[k - span]!;
        out[k - span + 1] = sum / span;
    }
    return out;
}

/** Blurred by three running means; `beyond`: what lies past an end, by its own value and that of its mirrored place. */
function blurred(part: Numbers, radius: number, beyond: (end: number, there: number) => number): Numbers {
    const [n, pad] = [part.length, 3 * radius];
    let list = new Float64Array(n + 2 * pad);
    list.set(part, pad);
    for (let k = 1; k <= pad; k++) {
        list[pad - k] = beyond(part[0]!, part[k]!);
        list[pad + n - 1 + k] = beyond(part[n - 1]!, part[n - 1 - k]!);
    }
    for (let k = 0; k < 3; k++) list = runningMean(list, radius);
    return list;
}

const imaged = (end: number, there: number) => 2 * end - there;
const mirrored = (_end: number, there: number) => there;

function smoothed(part: Numbers, wanted: number): Numbers {
    const n = part.length;
    const radius = Math.min(wanted, Math.floor((n - 1) / 3));
    if (radius === 0) return part;
    const once = blurred(part, radius, imaged);
    const twice = blurred(once, radius, imaged);
    const out = once.map((v, k) => 2 * v - twice[k]!);
    [out[0], out[n - 1]] = [part[0]!, part[n - 1]!];
    return out;
}

export function shaped(samples: Sample[], pen: Pen): Inked[] {
    if (samples.length === 0) return [];
    const { way, widths, step } = readEvenly(samples, pen);
    const reach = Math.max(pen.grain * (SEEN + pen.steadying * SEEN_CALM), 0.75 * pen.width);
    const radius = boxRadius((pen.steadying * pen.steadying * CALMEST * pen.grain) / step);
    const calm = [0, 1].map((k) => Float64Array.from(way, (p) => p[k]!));
    if (radius > 0) {
        const stops = [0, ...cornersOf(way, reach, step), way.length - 1];
        for (let k = 1; k < stops.length; k++) {
            const [from, to] = [stops[k - 1]!, stops[k]! + 1];
            // Ends stay where they are, so that one part's last is the next one's first.
            for (const list of calm) list.set(smoothed(list.slice(from, to), radius), from);
        }
    }
    const broad = Math.min(boxRadius((pen.grain + 0.25 * pen.width) / step), Math.floor((widths.length - 1) / 3));
    const all = Float64Array.from(widths);
    const even = broad > 0 ? blurred(all, broad, mirrored) : all;
    return way.map((_, k): Inked => [calm[0]![k]!, calm[1]![k]!, even[k]!]);
}
