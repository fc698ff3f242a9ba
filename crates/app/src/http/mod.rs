//! The server: JSON and pictures under `/api`, the front end's files beside it.

mod access;
mod arranging;
pub mod guard;
mod hand_off;
mod paint;
mod people;
mod routes;

use crate::api::{Event, Role};
use crate::service::access::{Access, first_keys};
use crate::service::events::Events;
use crate::service::{Bench, demo};
use crate::{jobs, store};
use rocket::config::TlsConfig;
use rocket::fairing::AdHoc;
use rocket::fs::{FileServer, Options};
use rocket::{Build, Config, Rocket};
use sqlx::PgPool;
use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;
use std::sync::Arc;
use tokio::sync::broadcast;

/// What the server needs to know to start.
#[derive(Debug, Clone)]
pub struct Settings {
    pub database_url: String,
    pub port: u16,
    pub open: Openness,
    /// The folder of the built front end.
    pub web: PathBuf,
    /// The folder that files may be handed off to.
    pub out: Option<PathBuf>,
}

/// To whom a server is open.
#[derive(Debug, Clone)]
pub struct Openness {
    pub address: IpAddr,
    /// Certificate and private key, PEM files.
    pub tls: Option<[PathBuf; 2]>,
    /// A proxy in front of it speaks TLS and says who asks.
    pub behind_proxy: bool,
    /// The names by which it is asked; none: any.
    pub hosts: Vec<String>,
}

impl Openness {
    /// Others than whoever works on this machine can ask.
    fn is_guarded(&self) -> bool {
        !self.address.is_loopback() || self.behind_proxy || self.tls.is_some()
    }

    fn scheme(&self) -> &'static str {
        if self.tls.is_some() { "https" } else { "http" }
    }
}

/// Why the server does not start or ends.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("{0}")]
    Store(#[from] store::Error),
    #[error("{0}")]
    Demo(#[from] demo::Error),
    #[error(
        "--address {0} is open to the network, where what is sent can be read: give --certificate and --private-key, or \
         --behind-proxy if a proxy before it speaks TLS"
    )]
    Bare(IpAddr),
    #[error("{0}")]
    Keys(#[from] crate::service::error::Error),
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
        address: settings.open.address,
        port: settings.port,
        tls: settings.open.tls.as_ref().map(|[certificate, key]| TlsConfig::from_paths(certificate, key)),
        // Nobody but the proxy says for whom it asks.
        ip_header: settings.open.behind_proxy.then(|| "X-Forwarded-For".into()),
        cli_colors: false,
        log_level: rocket::config::LogLevel::Off,
        limits: rocket::data::Limits::default().limit("json", rocket::data::ByteUnit::Mebibyte(8)),
        ..Config::release_default()
    };
    let open = &settings.open;
    let access = Access::new(pool.clone(), open.is_guarded(), open.is_guarded(), open.hosts.clone());
    rocket::custom(config)
        .manage(access)
        .manage(Events::new(pool.clone()))
        .manage(Arc::new(Bench::new(pool)))
        .manage(routes::Entrance::default())
        .manage(hand_off::Folder(settings.out.clone()))
        .attach(guard::Guard)
        .attach(in_few_goes())
        .mount("/api", routes::all())
        .mount("/api", paint::all())
        .mount("/api", hand_off::all())
        .mount("/api", arranging::all())
        .mount("/api", people::all())
        .mount("/api", access::all())
        .register("/api", routes::catchers())
        .mount("/", guard::routes())
        .mount("/", FileServer::new(&settings.web, Options::Index | Options::NormalizeDirs))
}

/// Once a backup was put into the database, nothing that was computed before counts any more.
fn forget_what_is_restored(mut news: broadcast::Receiver<(Option<i64>, Event)>, bench: Arc<Bench>) {
    tokio::spawn(async move {
        loop {
            match news.recv().await {
                Ok((_, Event::Restored)) => bench.forget_all(),
                Err(broadcast::error::RecvError::Closed) => break,
                Ok(_) | Err(broadcast::error::RecvError::Lagged(_)) => {}
            }
        }
    });
}

/// The keys that had to be made, with what each is for.
async fn access_keys(pool: &PgPool) -> Result<Vec<(&'static str, String)>, Error> {
    let made = first_keys(pool).await?;
    Ok(made.into_iter().map(|(role, key)| (if role == Role::Paint { "painting" } else { "looking" }, key)).collect())
}

/// Migrates, loads the demo into an empty database, serves until stopped.
pub async fn serve(settings: Settings) -> Result<(), Error> {
    let open = &settings.open;
    if !open.address.is_loopback() && open.tls.is_none() && !open.behind_proxy {
        return Err(Error::Bare(open.address));
    }
    let pool = store::connect(&settings.database_url).await?;
    if store::is_empty(&pool).await.map_err(store::Error::from)? {
        println!("Loading the demo: Kettle Post, shot 012 …");
        demo::load(&pool).await?;
    }
    jobs::worker::start(&pool, settings.out.clone());
    let rocket = build(pool.clone(), &settings).ignite().await.map_err(Box::new)?;
    if let (Some(events), Some(bench)) = (rocket.state::<Events>(), rocket.state::<Arc<Bench>>()) {
        events.hear_database();
        forget_what_is_restored(events.listen(), bench.clone());
    }
    if settings.open.is_guarded() {
        for (role, key) in access_keys(&pool).await? {
            println!("The key for {role}, told this once: {key}");
        }
    }
    let at = SocketAddr::new(settings.open.address, settings.port);
    println!("Rhizograph is ready: {}://{at}", settings.open.scheme());
    match rocket.launch().await {
        Ok(_) => Ok(()),
        // Asked to end, it does so under whatever is still asked for: nothing that was answered as saved is lost.
        Err(e) if matches!(e.kind(), rocket::error::ErrorKind::Shutdown(..)) => Ok(()),
        Err(e) => Err(Error::Serve(Box::new(e))),
    }
}
