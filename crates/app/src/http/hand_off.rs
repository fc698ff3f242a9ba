//! Routes of what goes out.

use super::routes::{Answer, Author, File, Refused, Shared, file};
use crate::api::{Event, FileTold, HandOff, Hold, NamesTold, Readiness};
use crate::jobs::queue::{self, Settings};
use crate::service::Turn;
use crate::service::error::Error;
use crate::service::events::Events;
use crate::service::hand_off::{self, NamedBy};
use crate::service::view::frame;
use crate::store::{self, hand_offs};
use rocket::http::{ContentType, Header};
use rocket::response::Responder;
use rocket::serde::json::Json;
use rocket::tokio::fs;
use rocket::{Route, State, get, post, put, routes};
use std::io::{Seek, Write};
use std::path::PathBuf;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// The folder that files may be handed off to.
pub struct Folder(pub Option<PathBuf>);

/// Why a drawing is not ready, if it is not.
#[get("/drawings/<id>/readiness")]
async fn readiness(bench: &Shared, id: i64) -> Answer<Readiness> {
    let v = frame(&bench.open(id).await?, store::NOBODY);
    Ok(Json(hand_off::readiness(&v.info.progress, v.stale)))
}

/// One file of a drawing as it is at a revision.
#[get("/drawings/<id>/hand-off/<name>?<revision>")]
async fn one_file(bench: &Shared, id: i64, name: &str, revision: Option<i64>) -> Result<File, Refused> {
    let Some(format) = hand_off::format_of(name) else {
        return Err(Error::Asked(format!("there is no file {name} to hand off")).into());
    };
    let shot = store::shot_of(&bench.pool, id).await.map_err(Error::of_drawing)?;
    let (colours, _) = store::colour_model(&bench.pool, shot).await.map_err(Error::of_shot)?;
    let open = bench.open(id).await?;
    if revision.is_some_and(|r| r != open.stored.revision) {
        return Err(Error::Conflict { revision: open.stored.revision, meanwhile: Vec::new() }.into());
    }
    let bytes = bench.heavy(id, Turn::Look, move || hand_off::file(&open, &colours, format)).await??;
    let kind = ContentType::parse_flexible(hand_off::media(format)).unwrap_or(ContentType::Binary);
    Ok(file(bytes, kind, false))
}

/// The drawings that are asked for, in the order of the shot, with their frames. Errors: one is not of the shot, or was
/// changed since it was looked at.
async fn asked_for(bench: &Shared, shot: i64, how: &HandOff) -> Result<Vec<(i64, String, (usize, usize))>, Error> {
    let frames = hand_offs::frames(&bench.pool, shot).await?;
    let all = store::placed(&bench.pool, shot).await?;
    let is_asked = |id: i64| how.drawings.iter().any(|d| d.id == id);
    let mut out = Vec::new();
    for drawing in all.into_iter().filter(|d| is_asked(d.id)) {
        let frames = frames.get(&drawing.id).copied().unwrap_or((1, 1));
        out.push((drawing.id, drawing.name, frames));
    }
    if out.len() != how.drawings.len() || out.is_empty() {
        return Err(Error::Asked("what goes out are one or more drawings of the shot, each once".into()));
    }
    Ok(out)
}

async fn names(bench: &Shared, shot: i64, how: &HandOff) -> Result<(Vec<i64>, Vec<String>), Error> {
    let [production, number, _] = hand_offs::names_of_shot(&bench.pool, shot).await.map_err(Error::of_shot)?;
    let asked = asked_for(bench, shot, how).await?;
    let by = NamedBy { production, shot: number, pattern: how.naming.clone() };
    let ids = asked.iter().map(|a| a.0).collect();
    let drawings: Vec<_> = asked.into_iter().map(|(_, name, frames)| (name, frames)).collect();
    Ok((ids, hand_off::all_names(&by, &drawings, &how.formats, how.repeat_holds)?))
}

/// So many names are shown.
const SHOWN: usize = 6;

/// What the files would be called.
#[post("/shots/<shot>/hand-off/names", data = "<how>")]
async fn told_names(bench: &Shared, folder: &State<Folder>, shot: i64, how: Json<HandOff>) -> Answer<NamesTold> {
    let (_, mut names) = names(bench, shot, &how).await?;
    let all = names.len();
    names.truncate(SHOWN);
    Ok(Json(NamesTold { names, all, has_folder: folder.0.is_some() }))
}

/// Begins to hand off, in the background; gives the job.
#[post("/shots/<shot>/hand-off", data = "<how>")]
async fn begin(bench: &Shared, shot: i64, author: Author, how: Json<HandOff>) -> Answer<i64> {
    let how = how.into_inner();
    let (ids, _) = names(bench, shot, &how).await?;
    for drawing in &how.drawings {
        if let Some(asked) = drawing.revision {
            let revision = store::revision(&bench.pool, drawing.id).await.map_err(Error::of_drawing)?;
            if revision != asked {
                return Err(Error::Conflict { revision, meanwhile: Vec::new() }.into());
            }
        }
    }
    let what = if how.formats.is_empty() { "Report" } else { "Hand off" };
    let settings = Settings::HandOff(Box::new(how));
    Ok(Json(queue::add_for(&bench.pool, (shot, &author.0), what, &settings, &ids, &[]).await?))
}

/// The files that a job made.
#[get("/jobs/<job>/files")]
async fn job_files(bench: &Shared, job: i64) -> Answer<Vec<FileTold>> {
    let files = hand_offs::files(&bench.pool, job).await?;
    let told = files.into_iter().flat_map(|f| f.names.into_iter().map(move |name| FileTold { name, size: f.size }));
    Ok(Json(told.collect()))
}

/// One of them.
#[get("/jobs/<job>/files/<name>")]
async fn job_file(bench: &Shared, job: i64, name: &str) -> Result<File, Refused> {
    let files = hand_offs::files(&bench.pool, job).await?;
    let Some(found) = files.iter().find(|f| f.names.iter().any(|n| n == name)) else {
        return Err(Error::Asked(format!("there is no file {name} any more")).into());
    };
    let bytes = hand_offs::bytes(&bench.pool, job, found.key).await?;
    let ending = name.rsplit('.').next().unwrap_or("");
    Ok(file(bytes, ContentType::from_extension(ending).unwrap_or(ContentType::Binary), false))
}

/// A file that is sent piece by piece and kept nowhere.
#[derive(Responder)]
struct Zip {
    file: fs::File,
    kind: ContentType,
    keep: Header<'static>,
    name: Header<'static>,
}

/// All of them as one ZIP. Nothing is packed again but text.
#[get("/jobs/<job>/files.zip")]
async fn job_zip(bench: &Shared, job: i64) -> Result<Zip, Refused> {
    let files = hand_offs::files(&bench.pool, job).await?;
    if files.is_empty() {
        return Err(Error::Asked("this job made no files, or they are no longer kept".into()).into());
    }
    let broke = |e: &dyn std::fmt::Display| {
        tracing::error!("a ZIP could not be written: {e}");
        Error::BrokeOff
    };
    let mut zip = ZipWriter::new(tempfile::tempfile().map_err(|e| broke(&e))?);
    for listed in files {
        let bytes = hand_offs::bytes(&bench.pool, job, listed.key).await?;
        for name in listed.names {
            let is_text = ["svg", "json", "html", "gpl"].iter().any(|e| name.ends_with(e));
            let method = if is_text { CompressionMethod::Deflated } else { CompressionMethod::Stored };
            let how = SimpleFileOptions::default().compression_method(method).large_file(true);
            zip.start_file(name, how).map_err(|e| broke(&e))?;
            zip.write_all(&bytes).map_err(|e| broke(&e))?;
        }
    }
    let mut file = zip.finish().map_err(|e| broke(&e))?;
    file.rewind().map_err(|e| broke(&e))?;
    let keep = Header::new("Cache-Control", "no-store");
    let name = Header::new("Content-Disposition", format!("attachment; filename=\"hand-off-{job}.zip\""));
    Ok(Zip { file: fs::File::from_std(file), kind: ContentType::ZIP, keep, name })
}

/// The most frames that a drawing is held for.
const LONGEST_HOLD: i32 = 9999;

/// Sets for how many frames a drawing is seen.
#[put("/drawings/<id>/hold", data = "<hold>")]
async fn set_hold(bench: &Shared, events: &State<Events>, id: i64, hold: Json<Hold>) -> Answer<i32> {
    if !(1..=LONGEST_HOLD).contains(&hold.frames) {
        return Err(Error::Asked("a drawing is seen for 1 to 9999 frames".into()).into());
    }
    let shot = hand_offs::set_hold(&bench.pool, id, hold.frames).await.map_err(Error::of_drawing)?;
    events.tell(shot, Event::Drawings);
    Ok(Json(hold.frames))
}

pub fn all() -> Vec<Route> {
    routes![readiness, one_file, told_names, begin, job_files, job_file, job_zip, set_hold]
}
