/** What is shown of a drawing: laid out whole once, then kept up by what each step changed. */
import { around, type Box } from '../geometry/box';
import { Kept } from '../geometry/kept';
import { parted } from './paint';
import { Ranked } from './ranked';
import type { DrawingFrame } from '../types/DrawingFrame';
import type { DrawingPatch } from '../types/DrawingPatch';
import type { DrawingView } from '../types/DrawingView';
import type { Finding } from '../types/Finding';
import type { LineView } from '../types/LineView';
import type { RegionView } from '../types/RegionView';

/** The frame is another after each step; what is kept in it goes on from one to the next. */
export interface Shown extends DrawingFrame {
    lines: Kept<number, LineView>;
    regions: Kept<number, RegionView>;
    findings: Kept<string, Finding>;
    /** Those that wait for a verdict, those for which nothing speaks, and those that were left knowingly. */
    open: Ranked;
    quiet: Ranked;
    left: Ranked;
    /** How many regions have each swatch, whatever its tone. */
    used: Used;
}

type Used = Record<string, number>;

function use(used: Used, paint: string | null, by: 1 | -1) {
    if (paint === null) return;
    const [id] = parted(paint);
    used[id] = (used[id] ?? 0) + by;
}

export type Standing = 'open' | 'quiet' | 'left';

export function standing(f: Finding): Standing {
    return f.left ? 'left' : f.quiet ? 'quiet' : 'open';
}

function boxOf(f: Finding): Box {
    let box: Box = [f.at[0], f.at[1], f.at[0], f.at[1]];
    for (const [x, y] of [f.to ?? f.at, ...f.path]) box = around(box, [x, y, x, y]);
    return box;
}

export function laid(view: DrawingView): Shown {
    const { lines, regions, findings, ...frame } = view;
    const kept = new Kept(findings, (f) => f.id, boxOf);
    const all = [...kept.all()];
    const those = (is: Standing) => Ranked.of(all.filter((f) => standing(f) === is));
    const used: Used = {};
    for (const { swatch } of regions) use(used, swatch, 1);
    return {
        ...frame,
        lines: new Kept(
            lines,
            (l) => l.id,
            (l) => l.bounds,
        ),
        regions: new Kept(
            regions,
            (r) => r.id,
            (r) => r.bounds,
        ),
        findings: kept,
        open: those('open'),
        quiet: those('quiet'),
        left: those('left'),
        used,
    };
}

/** The drawing after a step, and the box of the sheet in which it changes what is seen, with what was known before. */
export function patched(before: Shown, patch: DrawingPatch, known: Box | null): { shown: Shown; changed: Box | null } {
    const { lines, regions, findings } = before;
    let changed = known;
    const used = { ...before.used };
    const goneRegions = regions.change(patch.regions_gone, patch.regions);
    for (const { swatch } of goneRegions) use(used, swatch, -1);
    for (const { swatch } of patch.regions) use(used, swatch, 1);
    const goneLines = lines.change(patch.lines_gone, patch.lines);
    const goneFindings = findings.change(patch.findings_gone, patch.findings);
    for (const { region, swatch } of patch.refilled) {
        const was = regions.get(region);
        if (!was) continue;
        use(used, was.swatch, -1);
        use(used, swatch, 1);
        was.swatch = swatch;
        changed = around(changed, was.bounds);
    }
    for (const f of [...goneFindings, ...patch.findings]) changed = around(changed, boxOf(f));
    for (const { bounds } of [...goneRegions, ...goneLines, ...patch.regions, ...patch.lines]) {
        changed = around(changed, bounds);
    }
    for (const inked of patch.inked) changed = around(changed, inked);
    const split = (list: Finding[], is: Standing) => list.filter((f) => standing(f) === is);
    const those = (is: Standing) => before[is].with(split(goneFindings, is), split(patch.findings, is));
    return {
        shown: {
            ...patch.frame,
            lines,
            regions,
            findings,
            open: those('open'),
            quiet: those('quiet'),
            left: those('left'),
            used,
        },
        changed,
    };
}
