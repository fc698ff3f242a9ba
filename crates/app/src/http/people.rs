//! Routes of who works here.

use super::routes::{Answer, Author, Shared};
use crate::api::{Event, Here, Me, Person};
use crate::service::error::Error;
use crate::service::events::Events;
use crate::store::{NOBODY, people};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, put, routes};

/// The longest name of somebody.
const LONGEST: usize = 40;

#[put("/me", data = "<me>")]
async fn introduce(bench: &Shared, events: &State<Events>, author: Author, me: Json<Me>) -> Answer<()> {
    let Me { name, colour } = me.into_inner();
    let name = name.trim().to_owned();
    if name.chars().count() > LONGEST || name.chars().any(char::is_control) {
        return Err(Error::Asked(format!("a name has up to {LONGEST} characters")).into());
    }
    if author.0 == NOBODY {
        return Err(Error::Asked("only a page that says who asks can be called something".into()).into());
    }
    people::introduce(&bench.pool, &author.0, &Me { name, colour }).await?;
    events.tell_all(Event::People);
    Ok(Json(()))
}

/// Says where somebody is; a page says so as long as it is open.
#[post("/here", data = "<here>")]
async fn is_here(bench: &Shared, events: &State<Events>, author: Author, here: Json<Here>) -> Answer<()> {
    if author.0 != NOBODY {
        for shot in people::is_here(&bench.pool, &author.0, &here).await? {
            events.tell(shot, Event::People);
        }
    }
    Ok(Json(()))
}

#[get("/shots/<shot>/people")]
async fn of_shot(bench: &Shared, shot: i64) -> Answer<Vec<Person>> {
    Ok(Json(people::of_shot(&bench.pool, shot).await?))
}

pub fn all() -> Vec<Route> {
    routes![introduce, is_here, of_shot]
}
