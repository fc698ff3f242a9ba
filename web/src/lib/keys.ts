/** Every key, as the page of keys shows them and docs/keys.md lists them. */
export const KEYS: { name: string; keys: { keys: string[]; does: string }[] }[] = [
    {
        name: 'Stations and drawings',
        keys: [
            { keys: ['I'], does: 'Intake' },
            { keys: ['1'], does: 'Lift' },
            { keys: ['2'], does: 'Weight' },
            { keys: ['3'], does: 'Trace' },
            { keys: ['5'], does: 'Join' },
            { keys: ['6'], does: 'Paint' },
            { keys: ['7'], does: 'Hand off' },
            { keys: [',', '.'], does: 'previous, next drawing' },
        ],
    },
    {
        name: 'Findings',
        keys: [
            { keys: ['J', 'K'], does: 'next, previous' },
            { keys: ['A'], does: 'accept: bridge, cut, fill' },
            { keys: ['S'], does: 'close the gap with a seam' },
            { keys: ['X'], does: 'leave knowingly, or open again' },
            { keys: ['Shift', 'A'], does: 'settle all the sure ones' },
        ],
    },
    {
        name: 'Looking',
        keys: [
            { keys: ['Q'], does: 'held: the original' },
            { keys: ['W'], does: 'wipe between original and result (Lift, Weight, Trace)' },
            { keys: ['C'], does: 'result tinted loud over the original (Lift, Weight, Trace)' },
            { keys: ['B'], does: 'next backdrop' },
            { keys: ['Space'], does: 'held: pan' },
            { keys: ['Wheel'], does: 'zoom to the pointer' },
            { keys: ['+', '-'], does: 'nearer, farther' },
            { keys: ['F'], does: 'the whole sheet' },
            { keys: ['0'], does: 'one pixel for one' },
        ],
    },
    {
        name: 'Tools',
        keys: [
            { keys: ['T'], does: 'next tool of the tray' },
            { keys: ['[', ']'], does: 'smaller, larger brush' },
            { keys: ['A', 'S'], does: 'close a leak that was tested: bridge, seam' },
            { keys: ['Del'], does: 'take the picked span away' },
            { keys: ['Shift'], does: 'held while drawing a seam: straight' },
            { keys: ['Shift'], does: 'held while cutting out: a box' },
            { keys: ['Esc'], does: 'put the tool down' },
        ],
    },
    {
        name: 'Always',
        keys: [
            { keys: ['Ctrl', 'Z'], does: 'undo' },
            { keys: ['Ctrl', 'Shift', 'Z'], does: 'do again' },
            { keys: ['?'], does: 'this page' },
        ],
    },
];
