import './page';
import { expect, test } from 'vitest';
import { GROUPS, type Key } from '../src/lib/actions/actions';
import { bindings } from '../src/lib/actions/bind';

const written = (keys: Key[]) => keys.map((k) => k.caps.map((c) => `\`${c}\``).join(' ')).join(', ');

/** The page of keys as a document. */
function page(): string {
    const parts = GROUPS.map(({ name, actions }) => {
        const rows = actions.map((a) => `| ${written(a.keys)} | ${a.does} |`);
        return [`## ${name}`, '', '| key | does |', '| --- | --- |', ...rows, ''].join('\n');
    });
    return [
        '# Keys',
        '',
        'The page of keys in the application (`?`) shows the same; both come from one list.',
        '',
        ...parts,
        'At the histogram, arrow keys move the point that has the focus.',
        '',
    ].join('\n');
}

test('docs/keys.md is the list of actions', async () => {
    await expect(page()).toMatchFileSnapshot('../../docs/keys.md');
});

test('every key that is told is bound once, but for those of the pointer', () => {
    const actions = GROUPS.flatMap((g) => g.actions);
    expect(bindings(actions).size).toBe(actions.flatMap((a) => a.keys.flatMap((k) => k.on ?? [])).length);
    const unbound = actions.filter((a) => a.keys.some((k) => !k.on)).map((a) => a.does);
    expect(unbound).toEqual([
        'take the second, third, fourth swatch that a doubtful region may have',
        'held: pan',
        'zoom to the pointer',
        'turn the view freely',
        'close a leak that was tested: bridge, seam',
        'held while drawing a seam or ink: straight; a shape: in proportion',
        'held while drawing a shape: from its middle',
        'held while drawing: ink catches neither ends nor lines',
        'two fingers: pan, zoom and turn',
        'held while cutting out: a box',
        'held while dragging what is in hand: in steps; by a corner: free',
        'held while dragging what is in hand: a copy; by a handle: about the place that stays',
        'held while dragging a side: it is skewed',
    ]);
    expect(() => bindings([...actions, { does: 'twice', keys: [{ caps: ['J'], on: ['j'] }] }])).toThrow('j');
});
