//! The server: JSON and pictures under `/api`, the front end's files beside it.

mod guard;
mod hand_off;
mod paint;
mod routes;

use crate::service::events::Events;
use crate::service::{Bench, demo};
use crate::{jobs, store};
use rocket::fairing::AdHoc;
use rocket::fs::{FileServer, Options};
use rocket::{Build, Config, Rocket};
use sqlx::PgPool;
use std::path::PathBuf;
use std::sync::Arc;

/// What the server needs to know to start.
#[derive(Debug, Clone)]
pub struct Settings {
    pub database_url: String,
    pub port: u16,
    /// The folder of the built front end.
    pub web: PathBuf,
    /// The folder that files may be handed off to.
    pub out: Option<PathBuf>,
}

/// Why the server does not start or ends.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("{0}")]
    Store(#[from] store::Error),
    #[error("{0}")]
    Demo(#[from] demo::Error),
    #[error("the server stopped: {0}")]
    Serve(#[from] Box<rocket::Error>),
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
        .manage(Arc::new(Bench::new(pool)))
        .manage(routes::Entrance::default())
        .manage(hand_off::Folder(settings.out.clone()))
        .attach(guard::Guard)
        .attach(in_few_goes())
        .mount("/api", routes::all())
        .mount("/api", paint::all())
        .mount("/api", hand_off::all())
        .register("/api", routes::catchers())
        .mount("/", guard::routes())
        .mount("/", FileServer::new(&settings.web, Options::Index | Options::NormalizeDirs))
}

/// Migrates, loads the demo into an empty database, serves until stopped.
pub async fn serve(settings: Settings) -> Result<(), Error> {
    let pool = store::connect(&settings.database_url).await?;
    if store::is_empty(&pool).await.map_err(store::Error::from)? {
        println!("Loading the demo: Kettle Post, shot 012 …");
        demo::load(&pool).await?;
    }
    jobs::worker::start(&pool, settings.out.clone());
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
