import { painted } from './page';
import { beforeEach, expect, test, vi } from 'vitest';
import { laid } from '../src/lib/state/shown';
import type { DrawingView } from '../src/lib/types/DrawingView';
import type { Finding } from '../src/lib/types/Finding';

const { bench } = await import('../src/lib/state/bench.svelte');
const { sheet } = await import('../src/lib/state/sheet.svelte');
const { findings } = await import('../src/lib/state/findings.svelte');
const { colours } = await import('../src/lib/state/colours.svelte');
const { shots } = await import('../src/lib/state/shots.svelte');
const { groups } = await import('../src/lib/state/groups.svelte');

const found = (id: string, kind: Finding['kind'], more: Partial<Finding> = {}): Finding => ({
    id,
    kind,
    at: [100, 100],
    to: null,
    path: [],
    size: 10,
    confidence: 0.5,
    sure: false,
    quiet: false,
    harm: 1,
    parts: null,
    region: null,
    left: false,
    ...more,
});

function lay(all: Finding[]) {
    const view = { lines: [], regions: [], findings: all, info: { id: 1, revision: 1 }, numbering: 1 };
    sheet.view = laid(view as unknown as DrawingView);
}

const sent: unknown[] = [];
vi.spyOn(sheet, 'do').mockImplementation((command, then) => {
    sent.push(command);
    then?.();
    return Promise.resolve(true);
});

beforeEach(() => {
    sent.length = 0;
    [bench.camera.width, bench.camera.height] = [900, 600];
    bench.enter('join');
    shots.productions = [];
    [findings.only, findings.showLeft, findings.unfolded, findings.at] = [null, false, false, null];
    lay([
        found('gap', 'gap', { sure: true, confidence: 0.9, harm: 4.5 }),
        found('gap2', 'gap', { at: [400, 100], harm: 4.2 }),
        found('tail', 'tail', { sure: true, harm: 3.5 }),
        found('end', 'loose_end', { left: true }),
        found('hair', 'loose_end', { at: [110, 100], quiet: true, harm: 1 }),
        found('stub', 'gap', { at: [800, 400], quiet: true, harm: 2.1 }),
        found('bare', 'unpainted', { at: [101, 100], region: 3 }),
    ]);
});

test('each station lists its own findings, and only one kind when one is chosen', () => {
    const listed = () => findings.listed.map((f) => f.id);
    expect(listed()).toEqual(['gap', 'gap2', 'tail']);
    findings.only = 'tail';
    expect(listed()).toEqual(['tail']);
    [findings.only, findings.showLeft] = [null, true];
    expect(listed()).toEqual(['end']);
    findings.showLeft = false;
    bench.enter('paint');
    expect(listed()).toEqual(['bare']);
    bench.enter('lift');
    expect(listed()).toEqual([]);
});

test('quiet ones are listed behind the open ones once they are unfolded, and are never counted or left with those', async () => {
    const listed = () => findings.listed.map((f) => f.id);
    expect(findings.open).toHaveLength(3);
    expect([findings.count('gap'), findings.count('loose_end')]).toEqual([2, 0]);
    expect(findings.quiet.map((f) => f.id)).toEqual(['stub', 'hair']);
    // Nothing quiet is in hand, or marked, while it is folded.
    findings.at = 'hair';
    expect(findings.current).toBeNull();
    findings.unfolded = true;
    expect(listed()).toEqual(['gap', 'gap2', 'tail', 'stub', 'hair']);
    expect(findings.current?.id).toBe('hair');
    expect(findings.near([109, 99, 111, 101], 1).map((f) => f.id)).toEqual(['hair']);
    findings.only = 'gap';
    expect(listed()).toEqual(['gap', 'gap2', 'stub']);
    await findings.leaveListed();
    expect(sent).toEqual([{ of: 'findings', do: 'leave', ids: ['gap', 'gap2'] }]);
    findings.showLeft = true;
    findings.only = null;
    expect(listed()).toEqual(['end']);
});

test('the next and the previous go round, from the first or the last when none is in hand', () => {
    const walk = (by: 1 | -1) => {
        findings.step(by);
        return findings.current?.id;
    };
    expect([walk(1), walk(1), walk(1), walk(1)]).toEqual(['gap', 'gap2', 'tail', 'gap']);
    expect([walk(-1), walk(-1)]).toEqual(['tail', 'gap2']);
    findings.at = null;
    expect(walk(-1)).toBe('tail');
    // What is not listed is not in hand.
    findings.at = 'end';
    expect(findings.current).toBeNull();
});

test('what is stepped to is brought into view', () => {
    bench.camera.fit(9000, 6000);
    findings.step(1);
    const [x, y] = bench.camera.toScreen([100, 100]);
    expect([Math.round(x), Math.round(y)]).toEqual([450, 300]);
});

test('a key settles as the kind asks for, and the one that followed comes into hand', async () => {
    const one = (id: string) => sheet.view!.findings.get(id)!;
    await findings.settle(one('gap'), 'accept');
    await findings.settle(one('gap2'), 'seam');
    await findings.settle(one('tail'), 'accept');
    await findings.settle(one('tail'), 'leave');
    expect(sent).toEqual([
        { of: 'findings', do: 'settle', ids: ['gap'], with: 'bridge' },
        { of: 'findings', do: 'settle', ids: ['gap2'], with: 'seam' },
        { of: 'findings', do: 'settle', ids: ['tail'], with: null },
        { of: 'findings', do: 'leave', ids: ['tail'] },
    ]);
    // A tail has no seam.
    await findings.settle(one('tail'), 'seam');
    expect(sent).toHaveLength(4);
    findings.at = 'gap';
    await findings.settle(one('gap'), 'accept');
    expect(findings.current?.id).toBe('gap2');
});

test('what was left is taken up again by the same key', async () => {
    findings.showLeft = true;
    await findings.settle(sheet.view!.findings.get('end')!, 'leave');
    expect(sent).toEqual([{ of: 'findings', do: 'reopen', ids: ['end'] }]);
});

test('an unpainted region takes the swatch in hand, and without one nothing happens', async () => {
    bench.enter('paint');
    const bare = sheet.view!.findings.get('bare')!;
    await findings.settle(bare, 'accept');
    expect(sent).toEqual([]);
    shots.productions = painted('shell');
    colours.takeSwatch('shell');
    await findings.settle(bare, 'accept');
    expect(sent).toEqual([{ of: 'paint', do: 'fill', at: [[101, 100]], swatch: 'shell' }]);
});

test('all sure ones, or all that are listed, are settled in one step', async () => {
    await findings.settleSure();
    findings.only = 'gap';
    await findings.leaveListed();
    expect(sent).toEqual([
        { of: 'findings', do: 'settle', ids: ['gap', 'tail'], with: null },
        { of: 'findings', do: 'leave', ids: ['gap', 'gap2'] },
    ]);
});

test('marks near a box are those that are listed; unpainted regions are no marks', () => {
    const near = (margin: number) => findings.near([120, 90, 130, 110], margin).map((f) => f.id);
    expect(near(5)).toEqual([]);
    expect(near(25).sort()).toEqual(['gap', 'tail']);
    findings.only = 'gap';
    expect(near(25)).toEqual(['gap']);
    bench.enter('paint');
    findings.only = null;
    expect(near(25)).toEqual([]);
});

test('those that are alike follow one another from the first of them on', () => {
    lay([
        found('a', 'gap', { harm: 4.9 }),
        found('b', 'tail', { harm: 3.8 }),
        found('c', 'gap', { harm: 2.5 }),
        found('d', 'gap', { harm: 2.4, quiet: true }),
        found('e', 'gap', { harm: 2.3 }),
    ]);
    const listed = () => findings.listed.map((f) => f.id).join('');
    expect(listed()).toBe('abce');
    groups.told = [['e', 'c', 'a', 'd']];
    expect(listed()).toBe('aecb');
    findings.show(findings.listed[0]!);
    findings.step(1);
    expect(findings.current?.id).toBe('e');
    // Of two only there is no row of its own.
    groups.told = [['a', 'e', 'd']];
    expect(listed()).toBe('abce');
    groups.told = [];
});
