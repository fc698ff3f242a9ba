//! Routes of how drawings, shots and productions are arranged, and of what is done to a whole shot.

use super::routes::{Answer, Author, Shared, named};
use crate::api::{AwayRequest, AwayTold, Event, GivenName, Named, NewOrder, PutAway, ShotName};
use crate::jobs::queue::{self, Settings};
use crate::service::error::Error;
use crate::service::events::Events;
use crate::store::{self, arranging};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, put, routes};

fn no_production(e: sqlx::Error) -> Error {
    if matches!(e, sqlx::Error::RowNotFound) { Error::NoProduction } else { e.into() }
}

#[put("/shots/<shot>/order", data = "<order>")]
async fn order(bench: &Shared, events: &State<Events>, shot: i64, order: Json<NewOrder>) -> Answer<()> {
    if !arranging::set_order(&bench.pool, shot, &order.drawings).await.map_err(Error::of_shot)? {
        return Err(Error::Asked("other drawings hang in this shot by now".into()).into());
    }
    events.tell(shot, Event::Drawings);
    Ok(Json(()))
}

/// Names drawings anew, all or none.
#[put("/shots/<shot>/names", data = "<names>")]
async fn rename(bench: &Shared, events: &State<Events>, shot: i64, names: Json<Vec<Named>>) -> Answer<()> {
    let mut checked = Vec::new();
    for Named { id, name } in names.into_inner() {
        checked.push(Named { id, name: named(&name, "a drawing")? });
    }
    if !arranging::rename(&bench.pool, shot, &checked).await? {
        return Err(Error::NoDrawing.into());
    }
    events.tell(shot, Event::Drawings);
    Ok(Json(()))
}

/// Hangs a copy of a drawing behind it; gives its number.
#[post("/drawings/<id>/duplicate", data = "<name>")]
async fn duplicate(bench: &Shared, events: &State<Events>, id: i64, name: Json<GivenName>) -> Answer<i64> {
    let name = named(&name.name, "a drawing")?;
    let copy = arranging::duplicate(&bench.pool, id, &name).await.map_err(Error::of_drawing)?;
    events.tell(store::shot_of(&bench.pool, copy).await?, Event::Drawings);
    Ok(Json(copy))
}

#[get("/away")]
async fn away(bench: &Shared) -> Answer<Vec<AwayTold>> {
    Ok(Json(arranging::away(&bench.pool).await?))
}

/// Puts a production, a shot or a drawing away, or brings it back.
#[put("/away", data = "<request>")]
async fn set_away(bench: &Shared, events: &State<Events>, request: Json<AwayRequest>) -> Answer<()> {
    let AwayRequest { what, id, away } = request.into_inner();
    match what {
        PutAway::Drawing => {
            let shot = if away {
                arranging::take_out(&bench.pool, id).await
            } else {
                arranging::bring_back(&bench.pool, id).await
            };
            let shot = shot.map_err(Error::of_drawing)?;
            bench.forget(id);
            events.tell(shot, Event::Drawings);
        }
        PutAway::Shot => arranging::set_shot_away(&bench.pool, id, away).await.map_err(Error::of_shot)?,
        PutAway::Production => {
            arranging::set_production_away(&bench.pool, id, away).await.map_err(no_production)?;
        }
    }
    events.tell_all(Event::Drawings);
    Ok(Json(()))
}

#[put("/productions/<id>", data = "<name>")]
async fn rename_production(bench: &Shared, events: &State<Events>, id: i64, name: Json<GivenName>) -> Answer<()> {
    let name = named(&name.name, "a production")?;
    arranging::rename_production(&bench.pool, id, &name).await.map_err(no_production)?;
    events.tell_all(Event::Drawings);
    Ok(Json(()))
}

#[put("/shots/<id>", data = "<name>")]
async fn rename_shot(bench: &Shared, events: &State<Events>, id: i64, name: Json<ShotName>) -> Answer<()> {
    let (number, name) = (named(&name.number, "a shot")?, named(&name.name, "a shot")?);
    arranging::rename_shot(&bench.pool, id, &number, &name).await.map_err(Error::of_shot)?;
    events.tell_all(Event::Drawings);
    Ok(Json(()))
}

/// Makes a shot with the colour model and the settings of another; gives its number.
#[post("/shots/<id>/copy", data = "<name>")]
async fn copy_shot(bench: &Shared, events: &State<Events>, id: i64, name: Json<ShotName>) -> Answer<i64> {
    let (number, name) = (named(&name.number, "a shot")?, named(&name.name, "a shot")?);
    let copy = arranging::copy_shot(&bench.pool, id, &number, &name).await.map_err(Error::of_shot)?;
    events.tell_all(Event::Drawings);
    Ok(Json(copy))
}

/// Makes a production with the shots of another, without their drawings; gives its number.
#[post("/productions/<id>/copy", data = "<name>")]
async fn copy_production(bench: &Shared, events: &State<Events>, id: i64, name: Json<GivenName>) -> Answer<i64> {
    let name = named(&name.name, "a production")?;
    let copy = arranging::copy_production(&bench.pool, id, &name).await.map_err(no_production)?;
    events.tell_all(Event::Drawings);
    Ok(Json(copy))
}

/// Settles what is sure in all drawings of a shot, in the background; gives the job.
#[post("/shots/<shot>/settle")]
async fn settle(bench: &Shared, author: Author, shot: i64) -> Answer<i64> {
    let all = store::placed(&bench.pool, shot).await?;
    let open = |d: &&store::Placed| d.progress.lifted && d.progress.join_open + d.progress.paint_open > 0;
    let drawings: Vec<i64> = all.iter().filter(open).map(|d| d.id).collect();
    if drawings.is_empty() {
        return Err(Error::Asked("nothing is open in this shot".into()).into());
    }
    let what = "Settle what is sure";
    Ok(Json(queue::add_for(&bench.pool, (shot, &author.0), what, &Settings::Settle, &drawings, &[]).await?))
}

/// Undoes all that a job did, in the background; gives the job that does it.
#[post("/jobs/<job>/undo")]
async fn undo_job(bench: &Shared, author: Author, job: i64) -> Answer<i64> {
    let (shot, drawings) = queue::changed_by(&bench.pool, job).await?;
    if drawings.is_empty() {
        return Err(Error::NothingTo("undo").into());
    }
    let what = "Undo in all drawings";
    let settings = Settings::Undo { of: job };
    Ok(Json(queue::add_for(&bench.pool, (shot, &author.0), what, &settings, &drawings, &[]).await?))
}

pub fn all() -> Vec<Route> {
    routes![
        order,
        rename,
        duplicate,
        away,
        set_away,
        rename_production,
        rename_shot,
        copy_shot,
        copy_production,
        settle,
        undo_job
    ]
}
