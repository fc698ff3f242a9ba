/** The rooms of the front end from the lowest on: each knows only those before it, and nothing stands in a circle. */
const ROOMS = ['types', 'geometry', 'api', 'state', 'drawn', 'tools', 'actions', 'canvas', 'parts', 'stations'];

module.exports = {
    forbidden: [
        { name: 'no circle', severity: 'error', from: {}, to: { circular: true } },
        ...ROOMS.map((room, k) => ({
            name: `${room} knows only what comes before it`,
            severity: 'error',
            from: { path: `^src/lib/${room}/` },
            to: { path: `^src/(lib/(${[...ROOMS.slice(k + 1), '[^/]+$'].join('|')})|App)` },
        })),
    ],
    options: {
        tsPreCompilationDeps: true,
        tsConfig: { fileName: 'tsconfig.json' },
        doNotFollow: { path: 'node_modules' },
        enhancedResolveOptions: { extensions: ['.ts', '.svelte.ts', '.svelte', '.js'] },
    },
};
