/**
 * Every key once: what it does, when it can be done, and how it is told. The keys that are bound, the page of keys and
 * docs/keys.md come from here.
 */
import { go, route } from '../state/route.svelte';
import { bench, STATIONS, type Backdrop } from '../state/bench.svelte';
import { clicked } from '../state/clicked.svelte';
import { colours } from '../state/colours.svelte';
import { findings } from '../state/findings.svelte';
import { held } from '../state/held.svelte';
import { settings } from '../state/inking.svelte';
import { lightTable } from '../state/lightTable.svelte';
import { play } from '../state/play.svelte';
import { pen } from '../state/pen.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import { shots } from '../state/shots.svelte';
import { undoing } from '../state/undoing.svelte';
import { nextTool } from '../tools';
import { finish } from '../tools/curves';
import { offers } from './offers.svelte';

/** A key, or keys pressed together. */
export interface Key {
    /** As it is shown. */
    caps: string[];
    /** As it is bound; none: the pointer's own, told here only. Others may do the same. */
    on?: string[];
    /** Given the name that was pressed. */
    run?: (name: string) => void;
    /** Else it does what the browser would. */
    when?: () => boolean;
    /** When it is let go. */
    release?: () => void;
}

export interface Action {
    does: string;
    keys: Key[];
    /** It can be done without a drawing on the bench, too. */
    anywhere?: boolean;
}

export interface Group {
    name: string;
    actions: Action[];
}

const one = (cap: string, on: string, run: () => void): Key => ({ caps: [cap], on: [on], run });
const told = (...caps: string[]): Key => ({ caps });

/** The key that flips to a neighbour for as long as it is held. */
const flips = (cap: string, to: 1 | -1): Key => ({
    ...one(cap, cap.toLowerCase(), () => lightTable.flipTo(to)),
    release: () => lightTable.flip === to && lightTable.flipTo(0),
});

function neighbour(by: 1 | -1) {
    const list = shots.shot?.drawings ?? [];
    const i = list.findIndex((d) => d.id === sheet.view?.info.id);
    const to = list[i + by];
    if (i >= 0 && to && route.place.at === 'drawing') go({ at: 'drawing', id: to.id, station: bench.station });
}

const BACKDROPS: Backdrop[] = ['paper', 'white', 'grey', 'black', 'checker', 'colour'];
function resized(by: number) {
    if (bench.station === 'draw') {
        const width = Math.round(pen.settings.width * by * 20) / 20 || 0.05;
        pen.settings.width = Math.min(
            4,
            Math.max(0.1, width + (width === pen.settings.width ? Math.sign(by - 1) * 0.05 : 0)),
        );
        pen.keep();
    } else bench.brush.size = Math.min(400, Math.max(4, Math.round(bench.brush.size * by)));
}

/** A path is set point by point. */
const onPath = () => bench.tool === 'curves' && clicked.points.length > 0;

function putDown() {
    if (play.running) return play.stop();
    if (lightTable.shifting) {
        lightTable.shifting = false;
        return;
    }
    if (onPath()) return clicked.clear();
    probe.clear();
    bench.tool = 'look';
    findings.at = null;
    bench.chosen = [];
}

const { camera } = bench;
const atPaint = () => bench.station === 'paint';
function takeListed(n: number) {
    const s = colours.listed[n - 1];
    if (!s) return;
    colours.takeSwatch(s.id);
    bench.tool = 'fill';
}
const atDraw = () => bench.station === 'draw';
const inHand = () => atDraw() && held.ids.length > 0;
const mod = (cap: string, on: string, run: () => void, when = inHand): Key => ({
    caps: ['Ctrl', ...cap.split(' ')],
    on: [`$mod+${on}`],
    run,
    when,
});

export const GROUPS: Group[] = [
    {
        name: 'Stations and drawings',
        actions: [
            ...STATIONS.map(({ id, number, name }) => ({
                does: name,
                keys: [one(String(number), String(number).toLowerCase(), () => bench.enter(id))],
            })),
            {
                does: 'previous, next drawing',
                keys: [one(',', ',', () => neighbour(-1)), one('.', '.', () => neighbour(1))],
            },
            {
                does: 'held: flip to the drawing before, behind',
                keys: [flips('O', -1), flips('P', 1)],
            },
            {
                does: 'light table: neighbours faintly with the drawing',
                keys: [one('H', 'h', () => lightTable.toggle())],
            },
            {
                does: 'play the shot, or stop',
                keys: [one('R', 'r', () => (play.running ? play.stop() : void play.begin(sheet.view?.info.id)))],
            },
        ],
    },
    {
        name: 'Findings',
        actions: [
            {
                does: 'next, previous',
                keys: [one('J', 'j', () => findings.step(1)), one('K', 'k', () => findings.step(-1))],
            },
            { does: 'accept: bridge, cut, fill, as carried', keys: [one('A', 'a', () => offers.take('A'))] },
            { does: 'close the gap with a seam', keys: [one('S', 's', () => offers.take('S'))] },
            {
                does: 'take the second, third, fourth swatch that a doubtful region may have',
                keys: [told('S'), one('D', 'd', () => offers.take('D')), one('G', 'g', () => offers.take('G'))],
            },
            { does: 'leave knowingly, or open again', keys: [one('X', 'x', () => offers.take('X'))] },
            {
                does: 'the same with all that are like it',
                keys: [{ caps: ['Shift', 'X'], on: ['Shift+X'], run: () => offers.take('⇧ X') }],
            },
            {
                does: 'settle all the sure ones',
                keys: [
                    {
                        caps: ['Shift', 'A'],
                        on: ['Shift+A'],
                        run: () => bench.station === 'join' && findings.sure.length > 0 && void findings.settleSure(),
                    },
                ],
            },
        ],
    },
    {
        name: 'Always',
        actions: [
            { does: 'undo', keys: [{ caps: ['Ctrl', 'Z'], on: ['$mod+z'], run: () => void undoing.undo() }] },
            {
                does: 'do again',
                keys: [
                    { caps: ['Ctrl', 'Shift', 'Z'], on: ['$mod+Shift+z'], run: () => void undoing.redo() },
                    { caps: ['Ctrl', 'Y'], on: ['$mod+y'], run: () => void undoing.redo() },
                ],
            },
            {
                does: 'this page',
                keys: [{ caps: ['?'], on: ['?', 'Shift+?'], run: () => (bench.keysShown = true) }],
                anywhere: true,
            },
        ],
    },
    {
        name: 'Looking',
        actions: [
            {
                does: 'held: the original',
                keys: [
                    {
                        caps: ['Q'],
                        on: ['q'],
                        run: () => (bench.blink = true),
                        release: () => (bench.blink = false),
                    },
                ],
            },
            {
                does: 'wipe between original and result (Lift, Weight, Trace)',
                keys: [one('W', 'w', () => settings.shown && (bench.wipe = bench.wipe === null ? 0.5 : null))],
            },
            {
                does: 'result tinted loud over the original (Lift, Weight, Trace)',
                keys: [one('C', 'c', () => settings.shown && (bench.tint = !bench.tint))],
            },
            {
                does: 'next backdrop',
                keys: [
                    one('B', 'b', () => {
                        const next = BACKDROPS[(BACKDROPS.indexOf(bench.backdrop) + 1) % BACKDROPS.length];
                        if (next) bench.backdrop = next;
                    }),
                ],
            },
            { does: 'held: pan', keys: [told('Space')] },
            { does: 'zoom to the pointer', keys: [told('Wheel')] },
            {
                does: 'nearer, farther',
                keys: [
                    { caps: ['+'], on: ['+', 'Shift++', '='], run: () => camera.zoom(1.25) },
                    one('-', '-', () => camera.zoom(0.8)),
                ],
            },
            {
                does: 'the whole sheet',
                keys: [one('F', 'f', () => sheet.view && camera.fit(sheet.view.width, sheet.view.height))],
            },
            {
                // At Paint the digits they share a key with take swatches.
                does: 'turn the view by 15° (not at Paint); the drawing stays as it is',
                keys: [
                    { caps: ['('], on: ['(', 'Shift+('], run: () => camera.turnInSteps(-1), when: () => !atPaint() },
                    { caps: [')'], on: [')', 'Shift+)'], run: () => camera.turnInSteps(1), when: () => !atPaint() },
                ],
            },
            { does: 'turn the view freely', keys: [told('Alt', 'Wheel')] },
            { does: 'mirror the view', keys: [one('M', 'm', () => camera.mirror())] },
            { does: 'the view neither turned nor mirrored', keys: [one('L', 'l', () => camera.level())] },
            { does: 'one pixel for one', keys: [one('0', '0', () => camera.zoom(1 / camera.scale))] },
        ],
    },
    {
        name: 'Tools',
        actions: [
            { does: 'next tool of the tray', keys: [one('T', 't', () => (bench.tool = nextTool()))] },
            {
                does: 'smaller, larger brush',
                keys: [one('[', '[', () => resized(1 / 1.2)), one(']', ']', () => resized(1.2))],
            },
            { does: 'close a leak that was tested: bridge, seam', keys: [told('A'), told('S')] },
            {
                does: 'take away: the picked span, the lines in hand',
                keys: [one('Del', 'Delete', () => (atDraw() ? void held.takeAway() : offers.take('Del')))],
            },
            { does: 'held while drawing a seam or ink: straight; a shape: in proportion', keys: [told('Shift')] },
            { does: 'held while drawing a shape: from its middle', keys: [told('Alt')] },
            { does: 'held while drawing: ink catches neither ends nor lines', keys: [told('Ctrl')] },
            { does: 'two fingers: pan, zoom and turn', keys: [told('Touch')] },
            { does: 'held while cutting out: a box', keys: [told('Shift')] },
            { does: 'held while dragging what is in hand: in steps; by a corner: free', keys: [told('Shift')] },
            {
                does: 'held while dragging what is in hand: a copy; by a handle: about the place that stays',
                keys: [told('Alt')],
            },
            { does: 'held while dragging a side: it is skewed', keys: [told('Ctrl')] },
            {
                does: 'end the path of curves; take its last point back',
                keys: [
                    { ...one('Enter', 'Enter', () => void finish(false)), when: onPath },
                    { ...one('Backspace', 'Backspace', () => clicked.back()), when: onPath },
                ],
            },
            {
                does: 'take a swatch: the first nine of the list',
                keys: [
                    {
                        caps: ['Shift', '1 … 9'],
                        on: [1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => `Shift+Digit${n}`),
                        run: (name) => takeListed(Number(name.slice(-1))),
                        when: atPaint,
                    },
                ],
            },
            {
                does: 'the swatch that was in hand before',
                keys: [{ ...one('E', 'e', () => colours.back()), when: atPaint }],
            },
            {
                does: 'the next tone of the swatch in hand',
                keys: [{ ...one('N', 'n', () => colours.nextTone()), when: atPaint }],
            },
            {
                does: 'show lines and paint, only lines, only paint',
                keys: [{ ...one('U', 'u', () => bench.showNext()), when: atPaint }],
            },
            { does: 'put the tool down', keys: [one('Esc', 'Escape', putDown)] },
        ],
    },
    {
        name: 'Lines in hand (Draw)',
        actions: [
            { does: 'take all', keys: [mod('A', 'a', () => (held.take([]), held.takeInverse()), atDraw)] },
            { does: 'copy', keys: [mod('C', 'c', () => void held.copy())] },
            { does: 'copy, and take away', keys: [mod('X', 'x', () => void held.copy().then(() => held.takeAway()))] },
            {
                does: 'paste where it lay, in this drawing or another',
                keys: [
                    mod(
                        'V',
                        'v',
                        () => void held.paste(),
                        () => atDraw() && held.copied.length > 0,
                    ),
                ],
            },
            { does: 'duplicate', keys: [mod('D', 'd', () => void held.duplicate())] },
            {
                does: 'group, ungroup',
                keys: [
                    mod('G', 'g', () => void held.do({ do: 'group', lines: held.ids, apart: false })),
                    mod('Shift G', 'Shift+g', () => void held.do({ do: 'group', lines: held.ids, apart: true })),
                ],
            },
            {
                does: 'over, under what lies there; Ctrl: over, under everything',
                keys: [
                    {
                        ...one('PgUp', 'PageUp', () => void held.do({ do: 'order', lines: held.ids, to: 'up' })),
                        when: inHand,
                    },
                    {
                        ...one('PgDn', 'PageDown', () => void held.do({ do: 'order', lines: held.ids, to: 'down' })),
                        when: inHand,
                    },
                    mod('PgUp', 'PageUp', () => void held.do({ do: 'order', lines: held.ids, to: 'top' })),
                    mod('PgDn', 'PageDown', () => void held.do({ do: 'order', lines: held.ids, to: 'bottom' })),
                ],
            },
        ],
    },
];
