/** Every tool once, and which of them lie in the tray of each station. */
import { bench, type Station, type ToolId } from '../state/bench.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import type { Sample } from '../types/Sample';
import { area } from './area';
import { bend } from './bend';
import { choose } from './choose';
import { clear } from './clear';
import { corners } from './corners';
import { crop } from './crop';
import { curves } from './curves';
import { cut } from './cut';
import { empties } from './empties';
import { erase } from './erase';
import { fill } from './fill';
import { hold } from './hold';
import { ink } from './ink';
import { leak } from './leak';
import { lineColour } from './line_colour';
import { level } from './level';
import { look } from './look';
import { marks } from './marks';
import { pick } from './pick';
import { pointsTool } from './points';
import { protect } from './protect';
import { redraw } from './redraw';
import { calm, press } from './rub';
import { rough } from './rough';
import { sample } from './sample';
import { seam } from './seam';
import { ellipse, line, rectangle } from './shapes';
import { span } from './span';
import { swap } from './swap';
import { sweep } from './sweep';
import { takeAway } from './take_away';
import { toneCut } from './tone_cut';
import { touch } from './touch';
import type { How, Tool } from './tool';

/** Tools that lie in one place of the tray. */
export interface Bundle {
    name: string;
    help: string;
    tools: Tool[];
}

const SHAPES: Bundle = {
    name: 'Shapes',
    help: 'A straight line, a rectangle, an ellipse, curves from point to point',
    tools: [line, rectangle, ellipse, curves],
};
const MEND: Bundle = {
    name: 'Mend',
    help: 'Redraw a stretch, calm it, press it thicker or thinner, bend it, set its points',
    tools: [redraw, calm, press, bend, pointsTool],
};

/** The tools of each station, in the order of the tray. */
export const TRAYS: Record<Station, (Tool | Bundle)[]> = {
    intake: [look, level, crop, corners, marks],
    lift: [look, sample, touch, protect],
    weight: [look, area, choose],
    trace: [look],
    draw: [look, ink, SHAPES, MEND, erase, cut, hold],
    join: [look, sweep, cut, seam, span, leak, takeAway],
    paint: [look, fill, empties, swap, toneCut, lineColour, pick, clear],
    'hand-off': [],
};

/** All of them, one by one. */
export const toolsOf = (list: (Tool | Bundle)[]) => list.flatMap((t) => ('tools' in t ? t.tools : [t]));

/** Those that no tray holds: a panel does. */
const OF_PANELS = [rough];

const BY_ID = new Map([...toolsOf(Object.values(TRAYS).flat()), ...OF_PANELS].map((t) => [t.id, t]));

export const toolOf = (id: ToolId): Tool => BY_ID.get(id) ?? look;

/** Those of the station's tray that fit the drawing: lines are chosen only where there are some. */
export function tray(): (Tool | Bundle)[] {
    const { view } = sheet;
    const ofLines = !!view?.traced && (bench.weighs === 'lines' || !view.lift);
    const fits = (t: Tool | Bundle) => bench.station !== 'weight' || t === look || (t === choose) === ofLines;
    return TRAYS[bench.station].filter(fits);
}

/** The tool that follows the one in hand. */
export function nextTool(): ToolId {
    const list = toolsOf(tray());
    const k = list.findIndex((t) => t.id === bench.tool);
    return (list[(k + 1) % list.length] ?? look).id;
}

/** Uses the tool in hand with a stroke; `still`: it was let go where it began. */
export async function use(path: Pt[], samples: Sample[], still: boolean, how: How) {
    const [from, to] = [path[0], path[path.length - 1]];
    if (sheet.view && from && to) await toolOf(bench.tool).use?.({ path, samples, from, to, still, how });
}
