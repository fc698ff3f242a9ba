//! Backup and restore: PostgreSQL's own programs write all that is stored as it is at one moment, and put it back in one
//! transaction. What can be computed again is left out, and so is who came in with a key.

use crate::api::Event;
use crate::service::events::{CHANNEL, News};
use crate::store;
use serde::{Deserialize, Serialize};
use sqlx::PgPool;
use std::path::{Path, PathBuf};
use tokio::process::Command;
use url::Url;

/// What is not worth keeping.
const LEFT_OUT: [&str; 4] = ["thumbnails", "stills", "inks", "sessions"];
/// What tells a backup from any other folder.
const ABOUT: &str = "rhizograph.json";
const DATABASE: &str = "database";

/// Why there is no backup, or it was not put back.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("{0} is there already: name a folder that is not")]
    IsThere(PathBuf),
    #[error("{path}: {why}")]
    Folder { path: PathBuf, why: std::io::Error },
    #[error("{0} holds no backup")]
    NoBackup(PathBuf),
    #[error(
        "this database holds {0} drawings already, and they were kept: back it up, then give --over to have the backup in \
         their place"
    )]
    HasDrawings(i64),
    #[error("this backup is of a newer program: nothing was changed. Put it back with that one")]
    Newer,
    #[error("{0} was not found: it comes with PostgreSQL's client programs")]
    NoProgram(&'static str),
    #[error("{program} failed, and nothing was changed: {said}")]
    Failed { program: &'static str, said: String },
    #[error("this is no address of a database")]
    Address,
    #[error("{0}")]
    Store(#[from] store::Error),
    #[error("the database did not answer as it should: {0}")]
    Database(#[from] sqlx::Error),
}

/// What a backup says of itself.
#[derive(Serialize, Deserialize)]
struct About {
    /// The last change of the tables that it knows.
    tables: i64,
    drawings: i64,
}

async fn tables(pool: &PgPool) -> sqlx::Result<i64> {
    sqlx::query_scalar("select coalesce(max(version), 0) from _sqlx_migrations").fetch_one(pool).await
}

async fn drawings(pool: &PgPool) -> sqlx::Result<i64> {
    sqlx::query_scalar("select count(*) from drawings").fetch_one(pool).await
}

/// One of PostgreSQL's programs: that on the path, or else the newest that Debian keeps.
fn program(name: &'static str) -> Result<PathBuf, Error> {
    let on_path = std::env::var_os("PATH").unwrap_or_default();
    if let Some(found) = std::env::split_paths(&on_path).map(|p| p.join(name)).find(|p| p.is_file()) {
        return Ok(found);
    }
    let installed = std::fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten();
    let version = |p: &PathBuf| p.file_name().and_then(|n| n.to_str()?.parse::<u32>().ok());
    let newest = installed.map(|e| e.path()).filter(|p| p.join("bin").join(name).is_file()).max_by_key(version);
    newest.map(|p| p.join("bin").join(name)).ok_or(Error::NoProgram(name))
}

/// A program that is told the database without its password being seen in the list of processes.
fn on_database(name: &'static str, address: &str) -> Result<Command, Error> {
    let mut url = Url::parse(address).map_err(|_| Error::Address)?;
    let password = url.password().map(str::to_owned);
    url.set_password(None).map_err(|()| Error::Address)?;
    let mut command = Command::new(program(name)?);
    command.arg("--dbname").arg(url.as_str()).arg("--no-password").kill_on_drop(true);
    if let Some(password) = password {
        command.env("PGPASSWORD", percent_decoded(&password));
    }
    Ok(command)
}

fn percent_decoded(text: &str) -> String {
    url::form_urlencoded::parse(format!("p={}", text.replace('+', "%2B")).as_bytes())
        .next()
        .map_or_else(String::new, |(_, v)| v.into_owned())
}

async fn run(program: &'static str, mut command: Command) -> Result<(), Error> {
    let out = command.output().await.map_err(|e| Error::Failed { program, said: e.to_string() })?;
    if out.status.success() {
        return Ok(());
    }
    let said = String::from_utf8_lossy(&out.stderr).trim().chars().take(600).collect();
    Err(Error::Failed { program, said })
}

/// Writes a backup into a new folder, which is there whole or not at all.
pub async fn backup(folder: PathBuf, address: String) -> Result<(), Error> {
    if folder.exists() {
        return Err(Error::IsThere(folder));
    }
    let pool = store::connect(&address).await?;
    let about = About { tables: tables(&pool).await?, drawings: drawings(&pool).await? };
    let half = folder.with_extension("part");
    let failed = |why| Error::Folder { path: half.clone(), why };
    if half.exists() {
        std::fs::remove_dir_all(&half).map_err(failed)?;
    }
    std::fs::create_dir_all(&half).map_err(failed)?;
    let mut command = on_database("pg_dump", &address)?;
    command.args(["--format", "directory", "--no-owner", "--no-privileges", "--file"]).arg(half.join(DATABASE));
    command.args(LEFT_OUT.iter().map(|t| format!("--exclude-table-data={t}")));
    run("pg_dump", command).await?;
    let text = serde_json::to_string_pretty(&about).unwrap_or_default();
    std::fs::write(half.join(ABOUT), text).map_err(failed)?;
    std::fs::rename(&half, &folder).map_err(failed)?;
    println!("{} drawings were backed up into {}.", about.drawings, folder.display());
    Ok(())
}

fn about(folder: &Path) -> Result<About, Error> {
    let text = std::fs::read_to_string(folder.join(ABOUT)).map_err(|_| Error::NoBackup(folder.into()))?;
    serde_json::from_str(&text).map_err(|_| Error::NoBackup(folder.into()))
}

/// Puts a backup into the database. `over`: in the place of what it holds.
pub async fn restore(folder: PathBuf, address: String, over: bool) -> Result<(), Error> {
    let about = about(&folder)?;
    let pool = store::connect(&address).await?;
    if about.tables > tables(&pool).await? {
        return Err(Error::Newer);
    }
    let there = drawings(&pool).await?;
    if there > 0 && !over {
        return Err(Error::HasDrawings(there));
    }
    let mut command = on_database("pg_restore", &address)?;
    command.args(["--clean", "--if-exists", "--no-owner", "--no-privileges", "--single-transaction"]);
    command.arg(folder.join(DATABASE));
    run("pg_restore", command).await?;
    // What browsers kept is of other states: from now on nothing is called as it was.
    sqlx::query("update drawings set key = gen_random_uuid()").execute(&pool).await?;
    let pool = store::connect(&address).await?;
    let news = News::for_any_shot(Event::Restored);
    sqlx::query("select pg_notify($1, $2)").bind(CHANNEL).bind(news).execute(&pool).await?;
    println!("{} drawings were put back.", about.drawings);
    Ok(())
}
