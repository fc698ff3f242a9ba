//! The routes under `/api`.

use crate::api::{
    AlikeTold, BroughtIn, CommandRequest, DecidedTold, Delivery, Event, GlanceRequest, GlanceTold, JobInfo,
    LandingRequest, LandingTold, LeakTold, LinesRequest, NewBlank, NewProduction, NewShot, PlaceRequest,
    ProductionInfo, Refusal, RegisterRequest, ShotLift, SpanTold, StepRequest, StepTold, StillFacts, StripRequest,
    TriedTold, TryRequest,
};
use crate::intake::{NewDrawing, blank};
use crate::jobs::queue;
use crate::reader;
use crate::service::error::Error;
use crate::service::events::Events;
use crate::service::steps::Asker;
use crate::service::{Bench, Turn, pictures};
use crate::store::{self, Still, arranging};
use rhizograph_core::geom::Pt;
use rhizograph_core::intake::{Marks, find_corners};
use rhizograph_core::model::line::Line;
use rhizograph_core::model::recipe::FileLayer;
use rhizograph_core::raster::window::Window;
use rhizograph_formats::{MOST_BYTES, raster_out};
use rocket::data::ByteUnit;
use rocket::form::FromForm;
use rocket::http::{ContentType, Header, Status};
use rocket::request::{FromRequest, Outcome};
use rocket::response::content::RawJson;
use rocket::response::stream::{Event as Sse, EventStream};
use rocket::serde::json::Json;
use rocket::{Catcher, Data, Request, Responder, Route, State, catch, catchers, get, post, routes};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Semaphore;

pub(super) type Shared = State<Arc<Bench>>;

/// An error told to the front end.
pub struct Refused(Status, Refusal);

pub(super) type Answer<T> = Result<Json<T>, Refused>;

impl<'r> rocket::response::Responder<'r, 'static> for Refused {
    fn respond_to(self, request: &'r Request<'_>) -> rocket::response::Result<'static> {
        let mut response = Json(self.1).respond_to(request)?;
        response.set_status(self.0);
        Ok(response)
    }
}

impl From<Error> for Refused {
    fn from(error: Error) -> Self {
        let told =
            |status, error: String, advice: String, revision| Refused(status, Refusal { error, advice, revision });
        let (status, advice, revision) = match &error {
            Error::NoDrawing | Error::NoShot | Error::NoProduction | Error::NoJob => {
                (Status::NotFound, "Nothing was changed. It may have been taken out by somebody else.", None)
            }
            Error::NoKey => (Status::Unauthorized, "Ask whoever runs the server for it.", None),
            Error::TooManyTries => (Status::TooManyRequests, "Wait a minute, then try again.", None),
            Error::Overtaken => (Status::TooManyRequests, "Nothing was changed. The newest is on its way.", None),
            Error::Conflict { revision, meanwhile } => {
                let advice = format!(
                    "Nothing was overwritten. {}The drawing is shown as it is now; do your step again if it is still wanted.",
                    told_meanwhile(meanwhile)
                );
                return told(Status::Conflict, error.to_string(), advice, Some(*revision));
            }
            Error::Format(_) | Error::File(reader::Error::Refused(_)) => {
                (Status::UnprocessableEntity, "Nothing was changed.", None)
            }
            Error::Core(_) | Error::NothingTo(_) | Error::Asked(_) => {
                (Status::UnprocessableEntity, "Nothing was changed.", None)
            }
            Error::Unreadable(_) => (
                Status::UnprocessableEntity,
                "Nothing was changed. Open it with the program that wrote it, or a newer one.",
                None,
            ),
            Error::Store(sqlx::Error::Database(d)) if d.is_foreign_key_violation() => {
                let advice = "Nothing was changed. It may have been taken out by somebody else.";
                return told(Status::NotFound, "what this is about is no longer there".into(), advice.into(), None);
            }
            Error::Store(sqlx::Error::Database(d)) if d.is_unique_violation() => {
                let advice = "Nothing was changed. Choose another name.";
                return told(Status::Conflict, "that name is already taken".into(), advice.into(), None);
            }
            Error::Away(_) => (
                Status::ServiceUnavailable,
                "What was answered as saved is saved. This goes on by itself when the database is back.",
                None,
            ),
            Error::Store(_) | Error::File(reader::Error::Process(_)) | Error::BrokeOff => {
                (Status::InternalServerError, "What was answered as saved is saved. Try again.", None)
            }
        };
        told(status, error.to_string(), advice.into(), revision)
    }
}

/// The most steps of others that are named.
const MOST_NAMED: usize = 3;

/// What others did, in a sentence of its own; nothing if that is not known.
fn told_meanwhile(steps: &[String]) -> String {
    let more = steps.len().saturating_sub(MOST_NAMED);
    let named = steps.iter().rev().take(MOST_NAMED).cloned().collect::<Vec<_>>().join(", ");
    match (steps.len(), more) {
        (0, _) => String::new(),
        (_, 0) => format!("Since then: {named}. "),
        _ => format!("Since then: {named} and {more} more. "),
    }
}

impl From<sqlx::Error> for Refused {
    fn from(error: sqlx::Error) -> Self {
        Error::from(error).into()
    }
}

/// Bytes with a media type, kept by the browser as long as the address stays the same.
#[derive(Responder)]
pub struct File {
    bytes: Vec<u8>,
    kind: ContentType,
    keep: Header<'static>,
}

fn kept(keep: bool) -> Header<'static> {
    Header::new("Cache-Control", if keep { "private, max-age=31536000, immutable" } else { "no-store" })
}

pub(super) fn file(bytes: Vec<u8>, kind: ContentType, keep: bool) -> File {
    File { bytes, kind, keep: kept(keep) }
}

#[get("/productions")]
async fn productions(bench: &Shared) -> Answer<Vec<ProductionInfo>> {
    Ok(Json(store::productions(&bench.pool).await?))
}

pub(super) fn named(text: &str, what: &str) -> Result<String, Error> {
    let name = text.trim();
    if name.is_empty() || name.chars().count() > 80 || name.chars().any(char::is_control) {
        return Err(Error::Asked(format!("{what} needs a name of 1 to 80 characters")));
    }
    Ok(name.to_owned())
}

#[post("/productions", data = "<new>")]
async fn add_production(bench: &Shared, new: Json<NewProduction>) -> Answer<i64> {
    Ok(Json(store::add_production(&bench.pool, &named(&new.name, "a production")?).await?))
}

#[post("/shots", data = "<new>")]
async fn add_shot(bench: &Shared, new: Json<NewShot>) -> Answer<i64> {
    let (number, name) = (named(&new.number, "a shot")?, named(&new.name, "a shot")?);
    let is_missing = |e: sqlx::Error| match &e {
        sqlx::Error::Database(d) if d.is_foreign_key_violation() => Error::NoProduction,
        _ => e.into(),
    };
    let id = store::add_shot(&bench.pool, new.production, &number, &name, &[]).await.map_err(is_missing)?;
    Ok(Json(id))
}

/// How many megabytes of files come in at a time; more wait.
const COMING_IN: usize = 320;

/// Room for files that come in.
pub struct Entrance(Semaphore);

impl Default for Entrance {
    fn default() -> Self {
        Entrance(Semaphore::new(COMING_IN))
    }
}

/// How many megabytes a body says it has; as many as may be if it does not say.
pub struct Megabytes(u32);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Megabytes {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Self::Error> {
        let told = request.headers().get_one("content-length").and_then(|v| v.parse::<usize>().ok());
        let bytes = told.unwrap_or(MOST_BYTES).min(MOST_BYTES);
        Outcome::Success(Megabytes((bytes >> 20) as u32 + 1))
    }
}

#[post("/shots/<shot>/drawings?<name>", data = "<body>")]
async fn add_drawing(
    bench: &Shared,
    events: &State<Events>,
    entrance: &State<Entrance>,
    size: Megabytes,
    shot: i64,
    name: &str,
    body: Data<'_>,
) -> Answer<BroughtIn> {
    if !store::shot_exists(&bench.pool, shot).await? {
        return Err(Error::NoShot.into());
    }
    let name = named(name, "a file")?;
    let _room = entrance.0.acquire_many(size.0).await.map_err(|_| Error::BrokeOff)?;
    let bytes = uploaded(body).await?;
    let pegs = store::pegs_of_shot(&bench.pool, shot).await?;
    // The reader has places of its own.
    let reading = tokio::task::spawn_blocking(move || (drawings_of(&name, &bytes, pegs), bytes));
    let (drawings, bytes) = reading.await.map_err(|_| Error::BrokeOff)?;
    let drawings = drawings.map_err(Error::File)?;
    let id = store::add_drawings(&bench.pool, shot, &drawings, &bytes).await.map_err(Error::of_shot)?;
    events.tell(shot, Event::Drawings);
    let mut notes: Vec<String> = drawings.iter().flat_map(|d| d.notes.clone()).collect();
    if drawings.len() > 1 {
        notes.insert(0, format!("its {} pages are a drawing each", drawings.len()));
    }
    Ok(Json(BroughtIn { id, notes }))
}

/// A file that is sent, up to the most that is read.
async fn uploaded(body: Data<'_>) -> Result<Vec<u8>, Error> {
    let read = body.open(ByteUnit::from(MOST_BYTES)).into_bytes().await;
    let read = read.map_err(|_| Error::Asked("the upload broke off".into()))?;
    if !read.is_complete() {
        return Err(Error::Format(rhizograph_formats::Error::TooLarge { has: MOST_BYTES + 1, most: MOST_BYTES }));
    }
    Ok(read.into_inner())
}

/// Hangs a new scan of a drawing in its place; what was done by hand is kept where it still lies on ink. The old one is taken
/// out, and can be brought back.
#[post("/drawings/<id>/scan?<name>", data = "<body>")]
async fn rescan(
    bench: &Shared,
    events: &State<Events>,
    entrance: &State<Entrance>,
    size: Megabytes,
    id: i64,
    name: &str,
    body: Data<'_>,
) -> Answer<BroughtIn> {
    let shot = store::shot_of(&bench.pool, id).await.map_err(Error::of_drawing)?;
    let name = named(name, "a file")?;
    let _room = entrance.0.acquire_many(size.0).await.map_err(|_| Error::BrokeOff)?;
    let bytes = uploaded(body).await?;
    let pegs = store::pegs_of_shot(&bench.pool, shot).await?;
    let reading = tokio::task::spawn_blocking(move || (reader::drawing(&name, &bytes, pegs), bytes));
    let (drawing, bytes) = reading.await.map_err(|_| Error::BrokeOff)?;
    let (drawing, bytes) = bench.rescanned(id, drawing.map_err(Error::File)?, bytes).await?;
    let new = arranging::replace(&bench.pool, id, &drawing, &bytes).await.map_err(Error::of_drawing)?;
    bench.forget(id);
    events.tell(shot, Event::Drawings);
    Ok(Json(BroughtIn { id: new, notes: drawing.notes }))
}

/// The drawings of a file: one for each of its pages.
fn drawings_of(name: &str, bytes: &[u8], pegs: Option<Marks>) -> Result<Vec<NewDrawing>, reader::Error> {
    let mut drawings = vec![reader::drawing(name, bytes, pegs)?];
    for page in 2..=drawings[0].page[1] {
        drawings.push(reader::page(name, bytes, pegs, page)?);
    }
    Ok(drawings)
}

/// Hangs a bare sheet in a shot.
#[post("/shots/<shot>/blank", data = "<request>")]
async fn add_blank(bench: &Shared, events: &State<Events>, shot: i64, request: Json<NewBlank>) -> Answer<BroughtIn> {
    let NewBlank { name, width, height, dpi } = request.into_inner();
    let name = named(&name, "a drawing")?;
    if !(20.0..=4800.0).contains(&dpi) {
        let out = rhizograph_core::Error::Recipe { name: "resolution", value: dpi, from: 20.0, to: 4800.0 };
        return Err(Error::Core(out).into());
    }
    let (drawing, bytes) = blank(&name, [width, height], dpi).map_err(Error::Format)?;
    let id = store::add_drawings(&bench.pool, shot, &[drawing], &bytes).await.map_err(Error::of_shot)?;
    events.tell(shot, Event::Drawings);
    Ok(Json(BroughtIn { id, notes: Vec::new() }))
}

#[get("/drawings/<id>")]
async fn drawing(bench: &Shared, id: i64, author: Author) -> Result<RawJson<Vec<u8>>, Refused> {
    let view = bench.view(id, author.0).await?;
    // Thousands of lines are written apart: others do not wait for it.
    let written = tokio::task::spawn_blocking(move || serde_json::to_vec(&view)).await.map_err(|_| Error::BrokeOff)?;
    Ok(RawJson(written.map_err(|_| Error::BrokeOff)?))
}

/// Somebody may look at a drawing next: it is opened by then. Answers at once, since a page has few connections.
#[get("/drawings/<id>/soon")]
async fn soon(bench: &Shared, id: i64) -> Answer<()> {
    let bench = Arc::clone(bench);
    tokio::spawn(async move {
        // What cannot be opened is told to whoever asks for it.
        let _ = bench.open_ahead(id).await;
    });
    Ok(Json(()))
}

/// What changed since a revision that is shown, with its numbering of regions.
#[get("/drawings/<id>/since?<revision>&<numbering>")]
async fn since(bench: &Shared, id: i64, revision: i64, numbering: u64, author: Author) -> Answer<StepTold> {
    Ok(Json(bench.since(id, author.asks(revision, numbering)).await?))
}

pub(super) fn answer(events: &Events, (shot, told): (i64, StepTold)) -> Json<StepTold> {
    let info = &told.frame().info;
    let (progress, by) = (info.progress.clone(), info.changed_by.clone());
    events.tell(shot, Event::Drawing { id: info.id, revision: info.revision, progress, by });
    Json(told)
}

#[post("/drawings/<id>/commands", data = "<request>")]
async fn command(
    bench: &Shared,
    events: &State<Events>,
    id: i64,
    author: Author,
    request: Json<CommandRequest>,
) -> Answer<StepTold> {
    let CommandRequest { revision, numbering, command } = request.into_inner();
    let asked = author.asks(revision, numbering);
    Ok(answer(events, bench.command(id, asked, command).await?))
}

#[post("/drawings/<id>/undo", data = "<request>")]
async fn undo(
    bench: &Shared,
    events: &State<Events>,
    id: i64,
    author: Author,
    request: Json<StepRequest>,
) -> Answer<StepTold> {
    let asked = author.asks(request.revision, request.numbering);
    Ok(answer(events, bench.step(id, asked, false).await?))
}

#[post("/drawings/<id>/redo", data = "<request>")]
async fn redo(
    bench: &Shared,
    events: &State<Events>,
    id: i64,
    author: Author,
    request: Json<StepRequest>,
) -> Answer<StepTold> {
    let asked = author.asks(request.revision, request.numbering);
    Ok(answer(events, bench.step(id, asked, true).await?))
}

#[get("/drawings/<id>/original")]
async fn original(bench: &Shared, id: i64) -> Result<File, Refused> {
    let (bytes, _) = store::original(&bench.pool, id).await.map_err(Error::of_drawing)?;
    Ok(file(bytes, ContentType::Binary, true))
}

/// The part of a picture that is asked for.
#[derive(FromForm)]
struct Part {
    x: usize,
    y: usize,
    width: usize,
    height: usize,
    level: u32,
}

/// Who asks: a name of letters, digits and dashes that the page made up for itself; else nobody in particular.
pub struct Author(pub(super) String);

impl Author {
    fn asks(self, revision: i64, numbering: u64) -> Asker {
        Asker { author: self.0, revision, numbering }
    }
}

/// The longest name of an author.
const LONGEST_AUTHOR: usize = 64;

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Author {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Self::Error> {
        let is_name = |n: &&str| n.len() <= LONGEST_AUTHOR && n.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
        let named = request.headers().get_one("x-rhizograph-author").filter(is_name);
        Outcome::Success(Author(named.unwrap_or(store::NOBODY).to_owned()))
    }
}

/// The revision that is shown where something is asked for, if that is told.
pub struct At(Option<i64>);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for At {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Self::Error> {
        Outcome::Success(At(request.headers().get_one("x-rhizograph-at").and_then(|v| v.parse().ok())))
    }
}

/// The layer of a file that a kind of picture names, `layer-0` the topmost.
fn layer_of(kind: &str) -> Option<FileLayer> {
    kind.strip_prefix("layer-")?.parse().ok().map(|n| FileLayer::Numbers(vec![n]))
}

/// The names of the layers of a drawing's file, the topmost first; none of a file without such.
#[get("/drawings/<id>/layers")]
async fn layers(bench: &Shared, id: i64) -> Answer<Vec<String>> {
    Ok(Json(bench.layers(id).await?))
}

#[get("/drawings/<id>/pictures/<kind>?<part..>")]
async fn picture(bench: &Shared, id: i64, kind: &str, part: Part, at: At) -> Result<File, Refused> {
    let Part { x, y, width, height, level } = part;
    let window = Window { x, y, width, height, level };
    let (revision, bytes) = match kind {
        "original" => {
            let (revision, source) = bench.source(id).await?;
            (Some(revision), bench.heavy(id, Turn::Look, move || pictures::original(&source, window)).await??)
        }
        "raw" => {
            let raw = bench.as_it_came(id).await?;
            (None, bench.heavy(id, Turn::Look, move || pictures::original(&raw, window)).await??)
        }
        "ink" => {
            let open = bench.open(id).await?;
            let revision = open.stored.revision;
            // The drawing is held no longer than its part is taken out.
            let swatches = if open.stored.sheet.is_coloured() {
                store::swatches(&bench.pool, open.stored.shot).await.map_err(Error::of_shot)?
            } else {
                Vec::new()
            };
            let taken = tokio::task::spawn_blocking(move || pictures::part_of_ink(&open, &swatches, window));
            let part = taken.await.map_err(|_| Error::BrokeOff)?;
            let bytes = bench.heavy(id, Turn::Look, move || raster_out::ink_png(&part, 300.0)).await?;
            (Some(revision), bytes.map_err(Error::Format)?)
        }
        _ => {
            let layer = layer_of(kind).ok_or_else(|| Error::Asked(format!("there is no picture {kind}")))?;
            let (revision, layer) = bench.layer(id, layer).await?;
            (Some(revision), bench.heavy(id, Turn::Look, move || pictures::original(&layer, window)).await??)
        }
    };
    // The browser keeps what is named by the state that is shown: a step may have been done since.
    let is_as_shown = revision.is_none() || at.0.is_none() || at.0 == revision;
    Ok(file(bytes, ContentType::PNG, is_as_shown))
}

#[get("/drawings/<id>/thumbnail")]
async fn thumbnail(bench: &Shared, id: i64) -> Result<File, Refused> {
    Ok(file(bench.thumbnail(id).await?, ContentType::PNG, true))
}

#[get("/drawings/<id>/still")]
async fn still(bench: &Shared, id: i64) -> Result<File, Refused> {
    let Still { facts, ink, paint } = bench.still(id).await?;
    let told = told_with(&StillFacts { ink: ink.len(), ..facts }, &[&ink, &paint])?;
    Ok(File { keep: kept(true), ..told })
}

/// What is told, as its length in four bytes (low byte first) and JSON; then pixels.
fn told_with<T: serde::Serialize>(told: &T, pixels: &[&[u8]]) -> Result<File, Refused> {
    let json = serde_json::to_vec(told).map_err(|_| Error::BrokeOff)?;
    let mut bytes = Vec::with_capacity(4 + json.len() + pixels.iter().map(|p| p.len()).sum::<usize>());
    bytes.extend((json.len() as u32).to_le_bytes());
    bytes.extend(json);
    pixels.iter().for_each(|p| bytes.extend(*p));
    Ok(file(bytes, ContentType::Binary, false))
}

#[get("/drawings/<id>/alike")]
async fn alike(bench: &Shared, id: i64) -> Answer<AlikeTold> {
    Ok(Json(bench.alike(id).await?))
}

#[get("/drawings/<id>/decided-elsewhere")]
async fn decided_elsewhere(bench: &Shared, id: i64) -> Answer<DecidedTold> {
    Ok(Json(bench.decided_elsewhere(id).await?))
}

#[post("/drawings/<id>/leak", data = "<request>")]
async fn leak(bench: &Shared, id: i64, request: Json<PlaceRequest>) -> Result<Json<LeakTold>, Refused> {
    Ok(Json(bench.leak(id, request.at).await?))
}

#[post("/drawings/<id>/span", data = "<request>")]
async fn span(bench: &Shared, id: i64, request: Json<PlaceRequest>) -> Result<Json<Option<SpanTold>>, Refused> {
    Ok(Json(bench.span(id, request.at).await?))
}

#[post("/drawings/<id>/landing", data = "<request>")]
async fn landing(bench: &Shared, id: i64, request: Json<LandingRequest>) -> Result<Json<LandingTold>, Refused> {
    Ok(Json(bench.landing(id, request.into_inner().path).await?))
}

#[post("/drawings/<id>/tried", data = "<request>")]
async fn tried(bench: &Shared, id: i64, request: Json<TryRequest>) -> Result<Json<TriedTold>, Refused> {
    Ok(Json(bench.tried(id, request.into_inner().command).await?))
}

#[post("/drawings/<id>/lines", data = "<request>")]
async fn lines(bench: &Shared, id: i64, request: Json<LinesRequest>) -> Result<Json<Vec<Line>>, Refused> {
    Ok(Json(bench.lines(id, request.into_inner().lines).await?))
}

#[post("/drawings/<id>/glance", data = "<request>")]
async fn glance(bench: &Shared, id: i64, request: Json<GlanceRequest>) -> Result<File, Refused> {
    let r = request.into_inner();
    let glance = bench.glance(id, r).await?;
    let told = GlanceTold {
        width: glance.alpha.width,
        height: glance.alpha.height,
        coloured: glance.colours.is_some(),
        facts: glance.facts,
        trade: glance.trade,
        trace: glance.trace,
    };
    let width = glance.alpha.width;
    let Some(colours) = glance.colours else {
        return told_with(&told, &[&pictures::in_runs::<1>(&glance.alpha.data, width)]);
    };
    let pixels: Vec<u8> =
        colours.data.iter().zip(&glance.alpha.data).flat_map(|(c, &a)| [c[0], c[1], c[2], a]).collect();
    told_with(&told, &[&pictures::in_runs::<4>(&pixels, width)])
}

#[post("/drawings/<id>/strip", data = "<request>")]
async fn strip(bench: &Shared, id: i64, request: Json<StripRequest>) -> Result<File, Refused> {
    let r = request.into_inner();
    if r.weights.len() > 12 {
        return Err(Error::Asked("a strip shows up to 12 variants".into()).into());
    }
    let planes = bench.strip(id, r.inking, r.window, r.weights).await?;
    let size = planes.first().map_or((0, 0), |p| (p.width, p.height));
    let pictures: Vec<Vec<u8>> = planes.iter().map(|p| pictures::in_runs::<1>(&p.data, p.width)).collect();
    told_with(&size, &pictures.iter().map(Vec::as_slice).collect::<Vec<_>>())
}

#[get("/shots/<shot>/jobs")]
async fn jobs(bench: &Shared, shot: i64) -> Answer<Vec<JobInfo>> {
    Ok(Json(queue::of_shot(&bench.pool, shot).await?))
}

#[post("/shots/<shot>/lift", data = "<request>")]
async fn lift_shot(bench: &Shared, author: Author, shot: i64, request: Json<ShotLift>) -> Answer<i64> {
    let settings = request.into_inner();
    settings.lift.check().and(settings.weight.check()).and(settings.trace.check()).map_err(Error::Core)?;
    if !store::shot_exists(&bench.pool, shot).await? {
        return Err(Error::NoShot.into());
    }
    let drawings = store::drawings_of(&bench.pool, shot).await?;
    if drawings.is_empty() {
        return Err(Error::Asked("there is no drawing in this shot yet".into()).into());
    }
    let (asked, settings) = ((shot, author.0.as_str()), queue::Settings::Lift(settings));
    Ok(Json(queue::add_for(&bench.pool, asked, "Lift the shot", &settings, &drawings, &[]).await?))
}

#[post("/shots/<shot>/deliver", data = "<request>")]
async fn deliver(bench: &Shared, shot: i64, request: Json<Delivery>) -> Answer<i64> {
    if !store::shot_exists(&bench.pool, shot).await? {
        return Err(Error::NoShot.into());
    }
    let delivery = request.into_inner();
    let (what, sheets) = match &delivery {
        Delivery::SheetFeeder { sheets, dpi, .. } => {
            if !(75.0..=600.0).contains(dpi) {
                return Err(Error::Asked("the sheet feeder scans at 75 to 600 dpi".into()).into());
            }
            ("Sheet feeder", sheets)
        }
        Delivery::PhoneCamera { sheets } => ("Phone camera", sheets),
    };
    if sheets.is_empty() || sheets.len() > 200 || sheets.iter().any(|&s| s >= rhizograph_demo::marrow::DRAWINGS) {
        return Err(Error::Asked("choose 1 to 200 of the demo's sheets".into()).into());
    }
    let numbers: Vec<i32> = sheets.iter().map(|&s| s as i32).collect();
    let settings = queue::Settings::Deliver(delivery.clone());
    Ok(Json(queue::add(&bench.pool, shot, what, &settings, &[], &numbers).await?))
}

#[post("/jobs/<job>/stop")]
async fn stop_job(bench: &Shared, job: i64) -> Answer<()> {
    let is_missing = |e| if matches!(e, sqlx::Error::RowNotFound) { Error::NoJob } else { e.into() };
    queue::stop(&bench.pool, job).await.map_err(is_missing)?;
    Ok(Json(()))
}

#[post("/drawings/<id>/register", data = "<request>")]
async fn register(
    bench: &Shared,
    events: &State<Events>,
    id: i64,
    author: Author,
    request: Json<RegisterRequest>,
) -> Answer<StepTold> {
    let asked = author.asks(request.revision, 0);
    Ok(answer(events, bench.register(id, asked, request.marks).await?))
}

/// Where the paper's corners seem to be on the original.
#[get("/drawings/<id>/corners")]
async fn corners(bench: &Shared, id: i64) -> Answer<Option<[Pt; 4]>> {
    let raw = bench.as_it_came(id).await?;
    Ok(Json(bench.heavy(id, Turn::Look, move || find_corners(&raw).map(|c| c.map(Pt::snapped))).await?))
}

#[get("/drawings/<id>/pixel?<x>&<y>")]
async fn pixel(bench: &Shared, id: i64, x: usize, y: usize) -> Answer<[u8; 3]> {
    let (_, source) = bench.source(id).await?;
    if x >= source.width || y >= source.height {
        return Err(Error::Core(rhizograph_core::Error::OffSheet(x as f64, y as f64)).into());
    }
    // Pencil is grainy: the middle of a few pixels, the most coloured half of them.
    let mut around: Vec<[u8; 3]> = Vec::new();
    for v in y.saturating_sub(2)..(y + 3).min(source.height) {
        around.extend((x.saturating_sub(2)..(x + 3).min(source.width)).map(|u| *source.at(u, v)));
    }
    let spread = |p: &[u8; 3]| p.iter().max().unwrap_or(&0) - p.iter().min().unwrap_or(&0);
    around.sort_by_key(|p| std::cmp::Reverse(spread(p)));
    let half = &around[..around.len().div_ceil(2)];
    let mean = |c: usize| (half.iter().map(|p| usize::from(p[c])).sum::<usize>() / half.len()) as u8;
    Ok(Json([mean(0), mean(1), mean(2)]))
}

#[get("/shots/<shot>/events")]
fn events(events: &State<Events>, shot: i64) -> EventStream![] {
    let mut line = events.listen();
    EventStream! {
        loop {
            match line.recv().await {
                Ok((of, event)) if of.is_none_or(|of| of == shot) => yield Sse::json(&event),
                Ok(_) => {}
                // Some were missed: everything is to be read again.
                Err(tokio::sync::broadcast::error::RecvError::Lagged(_)) => yield Sse::json(&Event::Drawings),
                Err(_) => break,
            }
        }
    }
    .heartbeat(Duration::from_secs(15))
}

#[catch(default)]
fn plain(status: Status, _: &Request) -> Refused {
    let error = match status.code {
        404 => "there is nothing at this address".to_owned(),
        413 => "that is more than is read at once".to_owned(),
        400 | 422 => "the request could not be understood".to_owned(),
        _ => format!("the server could not answer ({})", status.code),
    };
    Refused(status, Refusal { error, advice: "Nothing was changed.".into(), revision: None })
}

pub fn catchers() -> Vec<Catcher> {
    catchers![plain]
}

pub fn all() -> Vec<Route> {
    routes![
        productions,
        add_production,
        add_shot,
        add_drawing,
        rescan,
        add_blank,
        drawing,
        since,
        alike,
        decided_elsewhere,
        leak,
        span,
        landing,
        tried,
        lines,
        command,
        undo,
        redo,
        original,
        layers,
        picture,
        thumbnail,
        still,
        soon,
        glance,
        strip,
        jobs,
        lift_shot,
        deliver,
        stop_job,
        register,
        corners,
        pixel,
        events
    ]
}
