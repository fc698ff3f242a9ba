/** The server, asked and told. Every write carries the header that only this page can send. */
import type { Command } from './types/Command';
import type { DrawingView } from './types/DrawingView';
import type { Event as ShotEvent } from './types/Event';
import type { LiftFacts } from './types/LiftFacts';
import type { LiftRecipe } from './types/LiftRecipe';
import type { ProductionInfo } from './types/ProductionInfo';
import type { Readiness } from './types/Readiness';
import type { Refusal } from './types/Refusal';
import type { Swatch } from './types/Swatch';
import type { Window as SheetWindow } from './types/Window';

const OWN = { 'x-rhizograph': '1' };

/** What the server refused, in its own words. */
export class Refused extends Error {
    constructor(
        readonly status: number,
        readonly told: Refusal,
    ) {
        super(told.error);
    }
}

async function refusal(response: Response): Promise<Refused> {
    try {
        return new Refused(response.status, (await response.json()) as Refusal);
    } catch {
        return new Refused(response.status, {
            error: 'the server did not answer as it should',
            advice: 'What was saved is saved.',
            revision: null,
        });
    }
}

async function ask<T>(path: string, method = 'GET', body?: unknown): Promise<T> {
    let response: Response;
    try {
        response = await fetch(`/api${path}`, {
            method,
            headers: method === 'GET' ? {} : { ...OWN, 'content-type': 'application/json' },
            body: body === undefined ? undefined : JSON.stringify(body),
        });
    } catch {
        throw new Refused(0, {
            error: 'the server cannot be reached',
            advice: 'What was answered as saved is saved. Start it again with ./start and go on here.',
            revision: null,
        });
    }
    if (!response.ok) throw await refusal(response);
    return (await response.json()) as T;
}

export const productions = () => ask<ProductionInfo[]>('/productions');
export const addProduction = (name: string) => ask<number>('/productions', 'POST', { name });
export const addShot = (production: number, number: string, name: string) =>
    ask<number>('/shots', 'POST', { production, number, name });
export const setSwatches = (shot: number, revision: number, swatches: Swatch[]) =>
    ask<number>(`/shots/${shot}/swatches`, 'PUT', { revision, swatches });
export const drawing = (id: number) => ask<DrawingView>(`/drawings/${id}`);
export const command = (id: number, revision: number, command: Command) =>
    ask<DrawingView>(`/drawings/${id}/commands`, 'POST', { revision, command });
export const undo = (id: number, revision: number) => ask<DrawingView>(`/drawings/${id}/undo`, 'POST', { revision });
export const redo = (id: number, revision: number) => ask<DrawingView>(`/drawings/${id}/redo`, 'POST', { revision });
export const pixel = (id: number, x: number, y: number) =>
    ask<[number, number, number]>(`/drawings/${id}/pixel?x=${x}&y=${y}`);
export const readiness = (id: number) => ask<Readiness>(`/drawings/${id}/readiness`);
export const markHandedOff = (id: number, revision: number) =>
    ask<Readiness>(`/drawings/${id}/hand-off`, 'POST', { revision });

export const handOffUrl = (id: number, name: string) => `/api/drawings/${id}/hand-off/${name}`;
export const thumbnailUrl = (id: number, revision: number, model: number) =>
    `/api/drawings/${id}/thumbnail?v=${revision}.${model}`;
export const pictureUrl = (id: number, kind: 'original' | 'ink', w: SheetWindow, version: number) =>
    `/api/drawings/${id}/pictures/${kind}?x=${w.x}&y=${w.y}&width=${w.width}&height=${w.height}&level=${w.level}&v=${version}`;

/** The ink a recipe would lift, as a picture of the window, with the facts of that lift. */
export async function liftPreview(
    id: number,
    recipe: LiftRecipe,
    window: SheetWindow,
): Promise<{ picture: ImageBitmap; facts: LiftFacts }> {
    const response = await fetch(`/api/drawings/${id}/lift-preview`, {
        method: 'POST',
        headers: { ...OWN, 'content-type': 'application/json' },
        body: JSON.stringify({ recipe, window }),
    });
    if (!response.ok) throw await refusal(response);
    const facts = JSON.parse(response.headers.get('x-lift-facts') ?? '{}') as LiftFacts;
    return { picture: await createImageBitmap(await response.blob()), facts };
}

/** Sends a file; `progress` hears the share that is sent. */
export function upload(shot: number, file: File, progress: (share: number) => void): Promise<number> {
    return new Promise((done, failed) => {
        const request = new XMLHttpRequest();
        request.open('POST', `/api/shots/${shot}/drawings?name=${encodeURIComponent(file.name)}`);
        request.setRequestHeader('x-rhizograph', '1');
        request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total);
        request.onload = () => {
            if (request.status === 200) return done(JSON.parse(request.responseText) as number);
            try {
                failed(new Refused(request.status, JSON.parse(request.responseText) as Refusal));
            } catch {
                failed(new Refused(request.status, { error: 'the upload was refused', advice: '', revision: null }));
            }
        };
        request.onerror = () =>
            failed(
                new Refused(0, {
                    error: 'the upload broke off',
                    advice: 'Nothing was changed. Files up to 256 MiB are read.',
                    revision: null,
                }),
            );
        request.send(file);
    });
}

/** Hears of every change to a shot until the returned function is called. */
export function listen(shot: number, heard: (event: ShotEvent) => void): () => void {
    const source = new EventSource(`/api/shots/${shot}/events`);
    source.onmessage = (m) => heard(JSON.parse(m.data as string) as ShotEvent);
    return () => source.close();
}
