//! Routes of what is painted across a shot.

use super::routes::{Answer, Author, File, Refused, Shared, answer, file};
use crate::api::{CarryRequest, CarryTo, CarryTold, Event, NewColourModel, Progress, ShotReplace};
use crate::jobs::queue::{self, Carriage, Settings};
use crate::service::error::Error;
use crate::service::events::Events;
use crate::store::{self, Written};
use rhizograph_core::model::paint::{ColourModel, parted};
use rhizograph_formats::palette::{self, PaletteFile};
use rocket::data::{ByteUnit, Data};
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, put, routes};

/// Paints other drawings of the shot from this one: the next one at once, more in the background.
#[post("/drawings/<id>/carry", data = "<request>")]
async fn carry(
    bench: &Shared,
    events: &State<Events>,
    id: i64,
    author: Author,
    request: Json<CarryRequest>,
) -> Answer<CarryTold> {
    let shot = store::shot_of(&bench.pool, id).await.map_err(Error::of_drawing)?;
    let all = store::placed(&bench.pool, shot).await?;
    let here = all.iter().position(|d| d.id == id).ok_or(Error::NoDrawing)?;
    let (before, behind) = (&all[..here], &all[here + 1..]);
    let nobody = || Error::Asked("there is no drawing on that side".into());
    let (back, drawings): (bool, Vec<i64>) = match request.to {
        CarryTo::Next | CarryTo::Previous => {
            let back = request.to == CarryTo::Previous;
            let to = if back { before.last() } else { behind.first() }.ok_or_else(nobody)?.id;
            let Json(told) = answer(events, bench.carry_to(to, author.0, back).await?);
            return Ok(Json(CarryTold::Painted { drawing: told.frame().info.id }));
        }
        CarryTo::After => (false, behind.iter().map(|d| d.id).collect()),
        CarryTo::Before => (true, before.iter().rev().map(|d| d.id).collect()),
        CarryTo::Between => {
            let open = behind.iter().take_while(|d| !d.is_painted_by_hand());
            (false, open.map(|d| d.id).collect())
        }
    };
    if drawings.is_empty() {
        return Err(nobody().into());
    }
    let settings = Settings::Carry(Carriage { from: id, back });
    queue::add_for(&bench.pool, (shot, &author.0), "Carry the paint", &settings, &drawings, &[]).await?;
    Ok(Json(CarryTold::Begun { drawings: drawings.len() }))
}

#[put("/shots/<shot>/colours", data = "<new>")]
async fn set_colours(bench: &Shared, events: &State<Events>, shot: i64, new: Json<NewColourModel>) -> Answer<i64> {
    if !store::shot_exists(&bench.pool, shot).await? {
        return Err(Error::NoShot.into());
    }
    new.model.check().map_err(Error::Core)?;
    match store::set_colour_model(&bench.pool, shot, new.revision, &new.model).await.map_err(Error::of_shot)? {
        Written::Conflict { revision } => Err(Error::Conflict { revision, meanwhile: Vec::new() }.into()),
        Written::Done { revision } => {
            events.tell(shot, Event::Swatches);
            Ok(Json(revision))
        }
    }
}

/// The colour model as a file: `colours.gpl`, `.css` or `.json`.
#[get("/shots/<shot>/colours/<name>")]
async fn colours_file(bench: &Shared, shot: i64, name: &str) -> Result<File, Refused> {
    let (model, of) = store::colour_model(&bench.pool, shot).await.map_err(Error::of_shot)?;
    let kind = PaletteFile::of(name).ok_or_else(|| Error::Asked("colours go out as .gpl, .css or .json".into()))?;
    let text = palette::write(kind, &model, &of).map_err(Error::Format)?;
    Ok(file(text.into_bytes(), ContentType::Plain, false))
}

/// What a file of colours holds; nothing is stored.
#[post("/colours?<name>", data = "<body>")]
async fn read_colours(name: &str, body: Data<'_>) -> Answer<ColourModel> {
    let kind = PaletteFile::of(name).ok_or_else(|| Error::Asked("colours come in as .gpl, .css or .json".into()))?;
    let bytes = body.open(ByteUnit::from(palette::MOST_BYTES + 1)).into_bytes().await.map_err(|_| Error::BrokeOff)?;
    let model = palette::read(kind, &bytes).map_err(Error::Format)?;
    Ok(Json(model))
}

/// Puts one swatch in the place of another in all drawings of the shot, in the background.
#[post("/shots/<shot>/replace", data = "<request>")]
async fn replace(bench: &Shared, author: Author, shot: i64, request: Json<ShotReplace>) -> Answer<i64> {
    let settings = request.into_inner();
    let known = store::paints(&bench.pool, shot).await.map_err(Error::of_shot)?;
    if let Some(by) = settings.by.as_ref().filter(|by| !known.contains(by)) {
        return Err(Error::Core(rhizograph_core::Error::NoSuchSwatch(by.clone())).into());
    }
    let (of, _) = parted(&settings.swatch);
    // What was painted before uses were told may have it.
    let may_have = |p: &Progress| p.used.contains_key(of) || (p.painted > 0 && p.used.is_empty());
    let all = store::placed(&bench.pool, shot).await?;
    let drawings: Vec<i64> = all.iter().filter(|d| may_have(&d.progress)).map(|d| d.id).collect();
    if drawings.is_empty() {
        return Err(Error::Asked("no drawing of the shot has it".into()).into());
    }
    let settings = Settings::Replace(settings);
    let asked = (shot, author.0.as_str());
    Ok(Json(queue::add_for(&bench.pool, asked, "Replace a swatch", &settings, &drawings, &[]).await?))
}

pub fn all() -> Vec<Route> {
    routes![carry, set_colours, colours_file, read_colours, replace]
}
