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

const kept = new Map<string, string>();
Object.assign(globalThis, {
    localStorage: {
        getItem: (name: string) => kept.get(name) ?? null,
        setItem: (name: string, value: string) => kept.set(name, value),
        clear: () => kept.clear(),
    },
});
