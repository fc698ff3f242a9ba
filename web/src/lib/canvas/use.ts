/** What each tool does with its stroke when it is let go. */
import { pixel } from '../api';
import { bench, type Tool } from '../state/bench.svelte';
import { settings } from '../state/inking.svelte';
import { intake } from '../state/intake.svelte';
import { tellError } from '../state/notices.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import { lineAt, regionAt, regionsUnder } from './under';

/** A stroke in sheet pixels. */
interface Stroke {
    path: Pt[];
    from: Pt;
    to: Pt;
    /** It was let go where it began. */
    still: boolean;
}

/** How near a click must be to a line to mean it, px of the screen. */
const NEAR_LINE = 8;
const NEAR_HANDMADE = 11;
/** An outline that gets no farther than this is none, px of the screen. */
const LEAST_OUTLINE = 6;

const isSpine = (l: LineView) => l.kind === 'centreline';
const isHandmade = (l: LineView) => l.made === 'bridge' || l.made === 'hand';

function paint({ path }: Stroke) {
    const effect = bench.paints;
    if (!effect) return;
    const { size, hardness, strength, takesOff } = bench.brush;
    return sheet.do({ do: 'touch', touch: { effect, path, size, hardness, strength, takes_off: takesOff } });
}

/** Takes the line under a place in hand, or lets go of it. */
function choose({ to }: Stroke) {
    const id = lineAt(to, NEAR_LINE / bench.camera.scale, isSpine)?.id;
    if (id === undefined) bench.chosen = [];
    else if (bench.chosen.includes(id)) bench.chosen = bench.chosen.filter((c) => c !== id);
    else bench.chosen = [...bench.chosen, id];
}

function cut({ path, from }: Stroke) {
    // An outline ends where it began.
    const far = (p: Pt) => Math.hypot(p[0] - from[0], p[1] - from[1]) * bench.camera.scale > LEAST_OUTLINE;
    if (path.some(far)) return sheet.do({ do: 'cut', outline: path, ends: bench.cutEnds });
}

function takeAway({ to }: Stroke) {
    const hit = lineAt(to, NEAR_HANDMADE / bench.camera.scale, isHandmade);
    if (hit) return sheet.do({ do: 'remove', line: hit.id });
}

function fill({ path }: Stroke) {
    const at = regionsUnder(path).map((r) => r.seed);
    if (bench.swatch && at.length) return sheet.do({ do: 'fill', at, swatch: bench.swatch });
}

function clear({ path }: Stroke) {
    const painted = regionsUnder(path).filter((r) => r.swatch);
    if (painted.length) return sheet.do({ do: 'clear', at: painted.map((r) => r.seed) });
}

function pick({ to }: Stroke) {
    const swatch = regionAt(to)?.swatch;
    if (swatch) [bench.swatch, bench.tool] = [swatch, 'fill'];
}

async function sample({ to: [x, y] }: Stroke) {
    const view = sheet.view;
    if (!view || x < 0 || y < 0 || x >= view.width || y >= view.height) return;
    try {
        await settings.addSample(await pixel(view.info.id, Math.floor(x), Math.floor(y)));
    } catch (e) {
        tellError(e);
    }
}

const USES: Partial<Record<Tool, (stroke: Stroke) => unknown>> = {
    touch: paint,
    area: paint,
    protect: ({ to }) => sheet.do({ do: 'protect', at: to }),
    choose,
    level: ({ from, to, still }) => still || intake.level(from, to),
    crop: ({ from, to, still }) => still || intake.crop(from, to),
    marks: ({ from, to, still }) => still || sheet.register([from, to]),
    sweep: ({ path }) => path.length > 1 && sheet.do({ do: 'sweep', path }),
    cut,
    seam: ({ path, still }) => still || path.length < 2 || sheet.do({ do: 'seam', path }),
    span: ({ to }) => probe.pickSpan(to),
    leak: ({ to }) => probe.testLeak(to),
    'take-away': takeAway,
    fill,
    clear,
    pick,
    sample,
};

/** Uses the tool in hand with a stroke; `still`: it was let go where it began. */
export async function use(path: Pt[], still: boolean) {
    const [from, to] = [path[0], path[path.length - 1]];
    if (sheet.view && from && to) await USES[bench.tool]?.({ path, from, to, still });
}
