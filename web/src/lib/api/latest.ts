/** Of questions asked one after the other only the latest answer counts. */
export class Latest {
    #asked = 0;
    #heard = 0;

    /** Asks; `null` if a later question was answered before this one. */
    async ask<T>(question: () => Promise<T>): Promise<{ told: T } | null> {
        const mine = ++this.#asked;
        const told = await question();
        if (mine < this.#heard) return null;
        this.#heard = mine;
        return { told };
    }

    /** What was asked before this counts no more. */
    forget() {
        this.#heard = ++this.#asked;
    }
}
