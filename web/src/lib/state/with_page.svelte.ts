/** Settings of a tool that are kept with the page, so that they are the same tomorrow. */
export class KeptWithPage<T extends object> {
    settings: T;

    constructor(
        readonly name: string,
        usual: T,
    ) {
        this.settings = $state({ ...usual, ...kept<T>(name) });
    }

    keep() {
        localStorage.setItem(this.name, JSON.stringify(this.settings));
    }

    set(change: Partial<T>) {
        Object.assign(this.settings, change);
        this.keep();
    }
}

function kept<T>(name: string): Partial<T> {
    try {
        const was: unknown = JSON.parse(localStorage.getItem(name) ?? '{}');
        return typeof was === 'object' && was !== null ? (was as Partial<T>) : {};
    } catch {
        return {};
    }
}
