import fc from 'fast-check';
import { expect, test } from 'vitest';
import type { Box } from '../src/lib/geometry/box';
import { laid, patched, type Shown } from '../src/lib/state/shown';
import type { DrawingFrame } from '../src/lib/types/DrawingFrame';
import type { DrawingPatch } from '../src/lib/types/DrawingPatch';
import type { DrawingView } from '../src/lib/types/DrawingView';
import { box, finding, KINDS, line, region, some } from './made';

const frame = (steps: number) => ({ steps }) as DrawingFrame;
const named = (k: number) => finding(`f${k}`);
const state = fc.record({ lines: some(line, 12), regions: some(region, 12), findings: some(named, 12) });
type State = { lines: DrawingView['lines']; regions: DrawingView['regions']; findings: DrawingView['findings'] };

/** What leads from one state to another, as the server would tell it. */
function difference(before: State, after: State, inked: Box[], refill: boolean): DrawingPatch {
    const gone = <T extends { id: number | string }>(a: T[], b: T[]) =>
        a.filter((x) => !b.some((y) => JSON.stringify(x) === JSON.stringify(y)));
    // A region that only got another paint is told apart from one that changed.
    const painted = (r: DrawingView['regions'][number]) =>
        before.regions.find((b) => b.id === r.id && JSON.stringify({ ...b, swatch: r.swatch }) === JSON.stringify(r));
    const refilled = refill
        ? after.regions.filter((r) => painted(r) && painted(r)?.swatch !== r.swatch).map((r) => r.id)
        : [];
    const plain = (regions: DrawingView['regions']) => regions.filter((r) => !refilled.includes(r.id));
    return {
        frame: frame(2),
        lines_gone: gone(before.lines, after.lines).map((l) => l.id),
        lines: gone(after.lines, before.lines),
        regions_gone: gone(plain(before.regions), plain(after.regions)).map((r) => r.id),
        regions: gone(plain(after.regions), plain(before.regions)),
        refilled: after.regions.filter((r) => refilled.includes(r.id)).map((r) => ({ region: r.id, swatch: r.swatch })),
        findings_gone: gone(before.findings, after.findings).map((f) => f.id),
        findings: gone(after.findings, before.findings),
        inked,
    };
}

/** All that a drawing shows, in an order of its own. */
function told(shown: Shown) {
    const sorted = <T extends { id: number | string }>(all: Iterable<T>) =>
        [...all].sort((a, b) => (a.id < b.id ? -1 : 1));
    return {
        steps: shown.steps,
        lines: sorted(shown.lines.all()),
        regions: sorted(shown.regions.all()),
        findings: sorted(shown.findings.all()),
        open: shown.open.of(KINDS),
        quiet: shown.quiet.of(KINDS),
        left: shown.left.of(KINDS),
        counts: KINDS.map((k) => [shown.open.count(k), shown.quiet.count(k), shown.left.count(k)]),
        used: Object.fromEntries(Object.entries(shown.used).filter(([, n]) => n !== 0)),
    };
}

const covers = (outer: Box | null, [a, b, c, d]: Box) =>
    outer !== null && outer[0] <= a && outer[1] <= b && outer[2] >= c && outer[3] >= d;

test('a drawing that is kept up by what a step changed is the one laid out anew, and the changed box holds it all', () => {
    fc.assert(
        fc.property(state, state, fc.array(box, { maxLength: 2 }), fc.boolean(), (first, second, inked, refill) => {
            const before = structuredClone(first);
            const patch = difference(before, second, inked, refill);
            const { shown, changed } = patched(laid({ ...frame(1), ...before } as DrawingView), patch, null);
            expect(told(shown)).toEqual(told(laid({ ...frame(2), ...second } as DrawingView)));
            const seen: Box[] = [
                ...inked,
                ...patch.lines.map((l) => l.bounds),
                ...patch.regions.map((r) => r.bounds),
                ...patch.refilled.map(({ region }) => second.regions.find((r) => r.id === region)!.bounds),
                ...first.lines.filter((l) => patch.lines_gone.includes(l.id)).map((l) => l.bounds),
                ...first.regions.filter((r) => patch.regions_gone.includes(r.id)).map((r) => r.bounds),
                ...[...first.findings.filter((f) => patch.findings_gone.includes(f.id)), ...patch.findings]
                    .flatMap((f) => [f.at, f.to ?? f.at, ...f.path])
                    .map(([x, y]): Box => [x, y, x, y]),
            ];
            for (const b of seen) expect(covers(changed, b)).toBe(true);
            if (seen.length === 0) expect(changed).toBeNull();
        }),
    );
});

test('what was known to be changed before stays in the changed box', () => {
    const empty = { lines: [], regions: [], findings: [] };
    const patch = difference(empty, empty, [], false);
    const view = laid({ ...frame(1), ...empty } as unknown as DrawingView);
    expect(patched(view, patch, [3, 4, 5, 6]).changed).toEqual([3, 4, 5, 6]);
    expect(patched(view, { ...patch, inked: [[0, 9, 1, 10]] }, [3, 4, 5, 6]).changed).toEqual([0, 4, 5, 10]);
});
