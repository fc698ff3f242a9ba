/** The server, asked and told. Every write carries the header that only this page can send. */
import { author } from './author';
import type { AccessTold } from '../types/AccessTold';
import type { AlikeTold } from '../types/AlikeTold';
import type { DecidedTold } from '../types/DecidedTold';
import type { AwayTold } from '../types/AwayTold';
import type { BroughtIn } from '../types/BroughtIn';
import type { CarryTo } from '../types/CarryTo';
import type { CarryTold } from '../types/CarryTold';
import type { ColourModel } from '../types/ColourModel';
import type { Command } from '../types/Command';
import type { Delivery } from '../types/Delivery';
import type { DrawingView } from '../types/DrawingView';
import type { Event as ShotEvent } from '../types/Event';
import type { GlanceRequest } from '../types/GlanceRequest';
import type { GlanceTold } from '../types/GlanceTold';
import type { FileTold } from '../types/FileTold';
import type { Here } from '../types/Here';
import type { HandOff } from '../types/HandOff';
import type { JobInfo } from '../types/JobInfo';
import type { Me } from '../types/Me';
import type { Named } from '../types/Named';
import type { NamesTold } from '../types/NamesTold';
import type { Person } from '../types/Person';
import type { ProductionInfo } from '../types/ProductionInfo';
import type { Line } from '../types/Line';
import type { TriedTold } from '../types/TriedTold';
import type { LandingTold } from '../types/LandingTold';
import type { LeakTold } from '../types/LeakTold';
import type { SpanTold } from '../types/SpanTold';
import type { NewBlank } from '../types/NewBlank';
import type { Pt } from '../types/Pt';
import type { PutAway } from '../types/PutAway';
import type { Readiness } from '../types/Readiness';
import type { Refusal } from '../types/Refusal';
import type { ShotLift } from '../types/ShotLift';
import type { StepTold } from '../types/StepTold';
import type { StripRequest } from '../types/StripRequest';
import type { Window as SheetWindow } from '../types/Window';

const OWN = { 'x-rhizograph': '1' };

/** What is sent while the page closes goes on without it; the browser does so for so many bytes. */
export const page = { closing: false, locked: () => {} };
const MOST_KEPT_ALIVE = 60_000;

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

/** Asks the server, and has what it refuses or that it cannot be reached thrown in words for the artist. */
export async function reach(path: string, method: string, body?: unknown): Promise<Response> {
    let response: Response;
    const isFile = body instanceof Blob;
    const sent = isFile ? body : body === undefined ? undefined : JSON.stringify(body);
    try {
        response = await fetch(`/api${path}`, {
            method,
            headers: {
                'x-rhizograph-author': author(),
                ...(method === 'GET' ? {} : OWN),
                ...(method === 'GET' || isFile ? {} : { 'content-type': 'application/json' }),
            },
            body: sent,
            keepalive: page.closing && typeof sent === 'string' && sent.length < MOST_KEPT_ALIVE,
        });
    } catch {
        throw new Refused(0, {
            error: 'the server cannot be reached',
            advice: 'What was answered as saved is saved. Start it again with ./start and go on here.',
            revision: null,
        });
    }
    if (response.status === 401 && path !== '/enter') page.locked();
    if (!response.ok) throw await refusal(response);
    return response;
}

async function ask<T>(path: string, method = 'GET', body?: unknown): Promise<T> {
    return (await (await reach(path, method, body)).json()) as T;
}

export const productions = () => ask<ProductionInfo[]>('/productions');
export const addProduction = (name: string) => ask<number>('/productions', 'POST', { name });
export const addShot = (production: number, number: string, name: string) =>
    ask<number>('/shots', 'POST', { production, number, name });
/** Whether a key is asked for, and as what I came in. */
export const access = () => ask<AccessTold>('/access');
export const enter = (key: string) => ask<AccessTold>('/enter', 'POST', { key });
export const leave = () => ask<null>('/leave', 'POST');
/** Says what I am called. */
export const introduce = (me: Me) => ask<null>('/me', 'PUT', me);
/** Says where I am. */
export const here = (place: Here) => ask<null>('/here', 'POST', place);
/** Who is in a shot, and who changed its drawings last. */
export const people = (shot: number) => ask<Person[]>(`/shots/${shot}/people`);
export const renameProduction = (id: number, name: string) => ask<null>(`/productions/${id}`, 'PUT', { name });
export const copyProduction = (id: number, name: string) => ask<number>(`/productions/${id}/copy`, 'POST', { name });
export const renameShot = (id: number, number: string, name: string) =>
    ask<null>(`/shots/${id}`, 'PUT', { number, name });
/** A new shot with the colour model and settings of this one. */
export const copyShot = (id: number, number: string, name: string) =>
    ask<number>(`/shots/${id}/copy`, 'POST', { number, name });
/** Hangs the drawings of a shot in this order. */
export const setOrder = (shot: number, drawings: number[]) => ask<null>(`/shots/${shot}/order`, 'PUT', { drawings });
export const renameDrawings = (shot: number, names: Named[]) => ask<null>(`/shots/${shot}/names`, 'PUT', names);
/** Hangs a copy of a drawing behind it. */
export const duplicate = (id: number, name: string) => ask<number>(`/drawings/${id}/duplicate`, 'POST', { name });
/** What was put away. */
export const away = () => ask<AwayTold[]>('/away');
export const setAway = (what: PutAway, id: number, away: boolean) => ask<null>('/away', 'PUT', { what, id, away });
/** Settles what is sure in all drawings of a shot, in the background. */
export const settleShot = (shot: number) => ask<number>(`/shots/${shot}/settle`, 'POST');
/** Undoes all that a job did, in the background. */
export const undoJob = (job: number) => ask<number>(`/jobs/${job}/undo`, 'POST');
export const setColours = (shot: number, revision: number, model: ColourModel) =>
    ask<number>(`/shots/${shot}/colours`, 'PUT', { revision, ...model });
/** The colour model as a file: `colours.gpl`, `.css`, `.json`. */
export const coloursFile = async (shot: number, name: string) =>
    (await reach(`/shots/${shot}/colours/${name}`, 'GET')).blob();
/** What a file of colours holds. */
export const readColours = (file: File) =>
    ask<ColourModel>(`/colours?name=${encodeURIComponent(file.name)}`, 'POST', file);
/** Puts one swatch in the place of another in all drawings, in the background. */
export const replaceInShot = (shot: number, swatch: string, by: string | null) =>
    ask<number>(`/shots/${shot}/replace`, 'POST', { swatch, by });
export const drawing = (id: number) => ask<DrawingView>(`/drawings/${id}`);
/** A drawing that may be asked for next. */
export const soon = (id: number) => ask<null>(`/drawings/${id}/soon`);
/** What changed since a revision that is shown, or all of it. */
export const since = (id: number, revision: number, numbering: number) =>
    ask<StepTold>(`/drawings/${id}/since?revision=${revision}&numbering=${numbering}`);
/** A step on what is shown: `numbering` is that of its regions. */
export const command = (id: number, revision: number, numbering: number, command: Command) =>
    ask<StepTold>(`/drawings/${id}/commands`, 'POST', { revision, numbering, command });
export const undo = (id: number, revision: number, numbering: number) =>
    ask<StepTold>(`/drawings/${id}/undo`, 'POST', { revision, numbering });
export const redo = (id: number, revision: number, numbering: number) =>
    ask<StepTold>(`/drawings/${id}/redo`, 'POST', { revision, numbering });
export const pixel = (id: number, x: number, y: number) =>
    ask<[number, number, number]>(`/drawings/${id}/pixel?x=${x}&y=${y}`);
export const readiness = (id: number) => ask<Readiness>(`/drawings/${id}/readiness`);
/** Hands off in the background; gives the job. */
export const handOff = (shot: number, how: HandOff) => ask<number>(`/shots/${shot}/hand-off`, 'POST', how);
/** What the files would be called. */
export const handOffNames = (shot: number, how: HandOff) =>
    ask<NamesTold>(`/shots/${shot}/hand-off/names`, 'POST', how);
/** The files that a job made. */
export const jobFiles = (job: number) => ask<FileTold[]>(`/jobs/${job}/files`);
export const jobZip = (job: number) => `/api/jobs/${job}/files.zip`;
export const jobFile = (job: number, name: string) => `/api/jobs/${job}/files/${encodeURIComponent(name)}`;
/** Sets for how many frames a drawing is seen. */
export const setHold = (id: number, frames: number) => ask<number>(`/drawings/${id}/hold`, 'PUT', { frames });
/** `key`: tells the drawing from one of the same number in another database. */
export const thumbnailUrl = ({ id, key }: { id: number; key: string }, revision: number, model: number) =>
    `/api/drawings/${id}/thumbnail?v=${revision}.${model}&of=${key}`;
/** `original`: as it is laid out; `raw`: as it came; `layer-0`: the topmost layer of its file, laid out as the sheet is. */
export type PictureKind = 'original' | 'raw' | 'ink' | `layer-${number}`;
/** The names of the layers of a drawing's file, the topmost first; none of a file without such. */
export const layersOf = (id: number) => ask<string[]>(`/drawings/${id}/layers`);
export const pictureUrl = (
    { id, key }: { id: number; key: string },
    kind: PictureKind,
    w: SheetWindow,
    version: string | number,
) =>
    `/api/drawings/${id}/pictures/${kind}?x=${w.x}&y=${w.y}&width=${w.width}&height=${w.height}&level=${w.level}&v=${version}&of=${key}`;

/**
 * A picture, decoded: drawing it costs no more than its pixels. `revision`: of the drawing that is shown; where the
 * server is at another by now, the browser does not keep what it answers.
 */
export async function picture(url: string, revision: number): Promise<ImageBitmap> {
    const response = await fetch(url, { headers: { 'x-rhizograph-at': String(revision) } });
    if (!response.ok) throw await refusal(response);
    return createImageBitmap(await response.blob());
}

/** What the server tells, and the pixels that come after it. */
async function toldWith<T>(path: string, body: unknown): Promise<[T, Uint8Array]> {
    const response = await reach(path, 'POST', body);
    const bytes = await response.arrayBuffer();
    const n = new DataView(bytes).getUint32(0, true);
    const told = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, n))) as T;
    return [told, new Uint8Array(bytes, 4 + n)];
}

/** The ink that settings would give, as alpha (or colour and alpha) of the window, in runs. */
export const glance = (id: number, request: GlanceRequest) => toldWith<GlanceTold>(`/drawings/${id}/glance`, request);

export const alike = (id: number) => ask<AlikeTold>(`/drawings/${id}/alike`);
export const decidedElsewhere = (id: number) => ask<DecidedTold>(`/drawings/${id}/decided-elsewhere`);
export const leak = (id: number, at: Pt) => ask<LeakTold>(`/drawings/${id}/leak`, 'POST', { at });
export const span = (id: number, at: Pt) => ask<SpanTold | null>(`/drawings/${id}/span`, 'POST', { at });
export const landing = (id: number, path: Pt[]) => ask<LandingTold>(`/drawings/${id}/landing`, 'POST', { path });
/** What a step would make of lines, without doing it. */
export const tried = (id: number, command: Command) => ask<TriedTold>(`/drawings/${id}/tried`, 'POST', { command });
/** Lines as they are, to be pasted elsewhere. */
export const lines = (id: number, lines: number[]) => ask<Line[]>(`/drawings/${id}/lines`, 'POST', { lines });
/** One part of a drawing with several weights: width and height, then the alphas in runs, one after the other. */
export const strip = (id: number, request: StripRequest) =>
    toldWith<[number, number]>(`/drawings/${id}/strip`, request);

export const jobs = (shot: number) => ask<JobInfo[]>(`/shots/${shot}/jobs`);
/** Paints other drawings of the shot from this one. */
export const carry = (id: number, to: CarryTo) => ask<CarryTold>(`/drawings/${id}/carry`, 'POST', { to });
export const liftShot = (shot: number, settings: ShotLift) => ask<number>(`/shots/${shot}/lift`, 'POST', settings);
export const addBlank = (shot: number, blank: NewBlank) => ask<BroughtIn>(`/shots/${shot}/blank`, 'POST', blank);
export const deliver = (shot: number, delivery: Delivery) => ask<number>(`/shots/${shot}/deliver`, 'POST', delivery);
export const stopJob = (job: number) => ask<null>(`/jobs/${job}/stop`, 'POST');
export const register = (id: number, revision: number, marks: [Pt, Pt]) =>
    ask<StepTold>(`/drawings/${id}/register`, 'POST', { revision, marks });
export const findCorners = (id: number) => ask<[Pt, Pt, Pt, Pt] | null>(`/drawings/${id}/corners`);

/** Sends a file; `progress` hears the share that is sent. */
export const upload = (shot: number, file: File, progress: (share: number) => void) =>
    sendFile(`/shots/${shot}/drawings`, file, progress);
/** Sends a new scan of a drawing, which hangs in its place then. */
export const rescan = (id: number, file: File) => sendFile(`/drawings/${id}/scan`, file, () => {});

function sendFile(path: string, file: File, progress: (share: number) => void): Promise<BroughtIn> {
    return new Promise((done, failed) => {
        const request = new XMLHttpRequest();
        request.open('POST', `/api${path}?name=${encodeURIComponent(file.name)}`);
        request.setRequestHeader('x-rhizograph', '1');
        request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total);
        request.onload = () => {
            if (request.status === 200) return done(JSON.parse(request.responseText) as BroughtIn);
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
                    advice: 'Nothing was changed. Pictures up to 256 MiB and vector art up to 32 MiB are read.',
                    revision: null,
                }),
            );
        request.send(file);
    });
}

/** How long to wait before listening again to a server that does not speak, ms. */
const LISTEN_AGAIN = 2000;

/**
 * Hears of every change to a shot until the returned function is called; `back`: of a server that was away, or did not
 * speak, what it told meanwhile was missed.
 */
export function listen(shot: number, heard: (event: ShotEvent) => void, back: () => void): () => void {
    let source: EventSource;
    let again: ReturnType<typeof setTimeout> | undefined;
    // What was told before it listened was missed, too.
    let wasAway = true;
    const begin = () => {
        source = new EventSource(`/api/shots/${shot}/events`);
        source.onmessage = (m) => heard(JSON.parse(m.data as string) as ShotEvent);
        source.onopen = () => {
            if (wasAway) back();
            wasAway = false;
        };
        source.onerror = () => {
            wasAway = true;
            // Of some answers the browser itself does not listen again.
            if (source.readyState === EventSource.CLOSED) again = setTimeout(begin, LISTEN_AGAIN);
        };
    };
    begin();
    return () => {
        clearTimeout(again);
        source.close();
    };
}
