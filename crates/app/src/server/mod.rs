//! The server: JSON and pictures under `/api`, the front end's files beside it.

pub mod api;
pub mod bench;
pub mod events;
pub mod guard;
pub mod hand_off;
pub mod pictures;
pub mod queue;
pub mod routes;
pub mod store;
pub mod stored;
pub mod view;
pub mod worker;

use crate::demo::PHOTOGRAPHED;
use crate::reader;
use events::Events;
use rhizograph_demo::swatches;
use rocket::fairing::AdHoc;
use rocket::fs::{FileServer, Options};
use rocket::{Build, Config, Rocket};
use sqlx::postgres::{PgPool, PgPoolOptions};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

/// What the server needs to know to start.
#[derive(Debug, Clone)]
pub struct Settings {
    pub database_url: String,
    pub port: u16,
    /// The folder of the built front end.
    pub web: PathBuf,
}

#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the database cannot be reached: {0}")]
    Database(#[from] sqlx::Error),
    #[error("the database could not be brought up to date: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    #[error("the demo could not be loaded: {0}")]
    Demo(String),
    #[error("the server stopped: {0}")]
    Serve(#[from] Box<rocket::Error>),
}

/// Connects and brings the tables up to date.
pub async fn connect(url: &str) -> Result<PgPool, Error> {
    // Who waits longer for the database is told so.
    let pool = PgPoolOptions::new().max_connections(12).acquire_timeout(Duration::from_secs(3)).connect(url).await?;
    sqlx::migrate!("./migrations").run(&pool).await?;
    Ok(pool)
}

/// How much of an answer is written in one go at most, bytes.
const IN_ONE_GO: usize = 256 << 10;

/// Answers whose size is known are written in as few goes as may be: each wakes whoever reads.
fn in_few_goes() -> AdHoc {
    AdHoc::on_response("in few goes", |_, response| {
        Box::pin(async move {
            let body = response.body();
            if let Some(size) = body.preset_size() {
                let least = body.max_chunk_size();
                response.set_max_chunk_size(size.clamp(least, IN_ONE_GO));
            }
        })
    })
}

/// The server, ready to launch.
pub fn build(pool: PgPool, settings: &Settings) -> Rocket<Build> {
    // Nothing that is answered as saved waits to be written: it may end at once.
    let shutdown = rocket::config::Shutdown { grace: 1, mercy: 1, ..Default::default() };
    let config = Config {
        shutdown,
        port: settings.port,
        cli_colors: false,
        log_level: rocket::config::LogLevel::Off,
        limits: rocket::data::Limits::default().limit("json", rocket::data::ByteUnit::Mebibyte(8)),
        ..Config::release_default()
    };
    rocket::custom(config)
        .manage(Events::new(pool.clone()))
        .manage(Arc::new(bench::Bench::new(pool)))
        .manage(routes::Entrance::default())
        .attach(guard::Guard)
        .attach(in_few_goes())
        .mount("/api", routes::all())
        .register("/api", routes::catchers())
        .mount("/", guard::routes())
        .mount("/", FileServer::new(&settings.web, Options::Index | Options::NormalizeDirs))
}

/// Migrates, loads the demo into an empty database, serves until stopped.
pub async fn serve(settings: Settings) -> Result<(), Error> {
    let pool = connect(&settings.database_url).await?;
    if store::is_empty(&pool).await? {
        println!("Loading the demo: Kettle Post, shot 012 …");
        load_demo(&pool).await?;
    }
    worker::start(&pool);
    let rocket = build(pool.clone(), &settings).ignite().await.map_err(Box::new)?;
    if let Some(events) = rocket.state::<Events>() {
        events.hear_database();
    }
    println!("Rhizograph is ready: http://127.0.0.1:{}", settings.port);
    match rocket.launch().await {
        Ok(_) => Ok(()),
        // Asked to end, it does so under whatever is still asked for: nothing that was answered as saved is lost.
        Err(e) if matches!(e.kind(), rocket::error::ErrorKind::Shutdown(..)) => Ok(()),
        Err(e) => Err(Error::Serve(Box::new(e))),
    }
}

/// Works on the queue until stopped, without serving: on this machine or another.
pub async fn work(database_url: &str) -> Result<(), Error> {
    let pool = connect(database_url).await?;
    worker::start(&pool);
    println!("Working on what waits in the queue. Ctrl+C stops.");
    std::future::pending().await
}

/// Puts the demo production into the database, all of it or, where that breaks off, none.
pub async fn load_demo(pool: &PgPool) -> Result<(), Error> {
    let drawn =
        || Ok((crate::demo::sheets().collect::<Result<Vec<_>, _>>()?, crate::demo::photographed(PHOTOGRAPHED)?));
    let (sheets, photo) = tokio::task::spawn_blocking(drawn)
        .await
        .map_err(|e| Error::Demo(e.to_string()))?
        .map_err(|e: rhizograph_formats::Error| Error::Demo(e.to_string()))?;
    let mut tx = pool.begin().await?;
    let production = store::add_production(&mut *tx, rhizograph_demo::PRODUCTION).await?;
    for (number, name, files) in [
        (rhizograph_demo::SHOT, rhizograph_demo::SHOT_NAME, sheets),
        (rhizograph_demo::PHOTO_SHOT, rhizograph_demo::PHOTO_SHOT_NAME, vec![photo]),
    ] {
        let shot = store::add_shot(&mut *tx, production, number, name, &swatches()).await?;
        for (name, bytes) in files {
            let pegs = store::pegs_of_shot(&mut *tx, shot).await?;
            let reading = tokio::task::spawn_blocking(move || (reader::drawing(&name, &bytes, pegs), bytes));
            let (drawing, bytes) = reading.await.map_err(|e| Error::Demo(e.to_string()))?;
            let drawing = drawing.map_err(|e| Error::Demo(e.to_string()))?;
            store::insert_drawing(&mut tx, shot, &drawing, &bytes).await?;
        }
    }
    Ok(tx.commit().await?)
}
