/** What a page has and a test that runs without a browser lacks: frames and timers come at once or when they are asked for. */
Object.assign(globalThis, {
    window: globalThis,
    location: { hash: '' },
    addEventListener: () => {},
    requestAnimationFrame: (call: (at: number) => void) => {
        call(0);
        return 0;
    },
    cancelAnimationFrame: () => {},
    matchMedia: () => ({ matches: true }),
});

/** What was begun meanwhile has been done. */
export const settled = () => new Promise((done) => setTimeout(done, 0));

/** A shot with swatches of these ids, each with a shadow, and nothing else. */
export const painted = (...ids: string[]) => [
    {
        id: 1,
        name: '',
        shots: [
            {
                id: 1,
                number: '1',
                name: '',
                revision: 1,
                drawings: [],
                tones: [{ id: 'shadow', name: 'Shadow' }],
                swatches: ids.map((id) => ({
                    id,
                    name: id,
                    colour: [90, 80, 10] as [number, number, number],
                    group: '',
                    tones: { shadow: [60, 50, 5] as [number, number, number] },
                    note: '',
                })),
            },
        ],
    },
];

const kept = new Map<string, string>();
Object.assign(globalThis, {
    localStorage: {
        getItem: (name: string) => kept.get(name) ?? null,
        setItem: (name: string, value: string) => kept.set(name, value),
        clear: () => kept.clear(),
    },
});
