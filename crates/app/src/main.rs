//! The command line of `rhizograph`.

use clap::{Parser, Subcommand, ValueEnum};
use rhizograph_app::api::Role;
use rhizograph_app::cli::prepare::{Asked, Error, Until, Write, prepare};
use rhizograph_app::cli::{backup, carry};
use rhizograph_app::http::{Openness, Settings, serve};
use rhizograph_app::jobs::work;
use rhizograph_app::service::access;
use rhizograph_app::store;
use rhizograph_core::model::paint::Swatch;
use rhizograph_core::model::recipe::Recipes;
use std::net::IpAddr;
use std::os::unix::process::CommandExt;
use std::path::PathBuf;
use std::process::{Command, ExitCode};

/// Pictures are large and come and go on many threads: this allocator gives their memory back at once.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Makes inked animation drawings ready for colour.
#[derive(Parser)]
#[command(name = "rhizograph", version)]
struct Arguments {
    #[command(subcommand)]
    what: What,
    /// How long a file that comes in may take to be read, seconds.
    #[arg(long, global = true, env = "RHIZOGRAPH_LONGEST_READING", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=3600))]
    longest_reading: u64,
}

#[derive(Subcommand)]
enum What {
    /// Serves the application to a browser on this machine.
    Serve {
        /// PostgreSQL to keep everything in.
        #[arg(long, env = "DATABASE_URL")]
        database_url: String,
        #[arg(long, default_value_t = 7411)]
        port: u16,
        /// The address to listen on; others than this machine's own ask for a key.
        #[arg(long, default_value = "127.0.0.1")]
        address: IpAddr,
        /// A certificate (PEM), to speak TLS.
        #[arg(long, requires = "private_key")]
        certificate: Option<PathBuf>,
        /// Its private key (PEM).
        #[arg(long, requires = "certificate")]
        private_key: Option<PathBuf>,
        /// A proxy in front speaks TLS, and says who asks (X-Forwarded-For).
        #[arg(long)]
        behind_proxy: bool,
        /// A name by which the server is asked; without one, any.
        #[arg(long)]
        host: Vec<String>,
        /// The folder of the built front end.
        #[arg(long, default_value = "web/dist")]
        web: PathBuf,
        /// A folder that files may be handed off to.
        #[arg(long, env = "RHIZOGRAPH_OUT")]
        out: Option<PathBuf>,
    },
    /// Writes all that the database holds into a new folder, as it is at one moment; people go on working.
    Backup {
        folder: PathBuf,
        /// PostgreSQL that the server keeps everything in.
        #[arg(long, env = "DATABASE_URL")]
        database_url: String,
    },
    /// Puts a backup into the database, all of it or nothing; servers that run show it at once.
    Restore {
        folder: PathBuf,
        /// PostgreSQL that the server keeps everything in.
        #[arg(long, env = "DATABASE_URL")]
        database_url: String,
        /// In the place of the drawings that are there.
        #[arg(long)]
        over: bool,
    },
    /// Makes a new key for a server that is open to a network, in the place of the one before.
    Key {
        /// What it lets somebody do.
        #[arg(value_enum)]
        role: KeyFor,
        /// PostgreSQL that the server keeps everything in.
        #[arg(long, env = "DATABASE_URL")]
        database_url: String,
    },
    /// Works on what waits in the queue, beside the server or on another machine.
    Work {
        /// PostgreSQL that the server keeps everything in.
        #[arg(long, env = "DATABASE_URL")]
        database_url: String,
        /// A folder that files may be handed off to.
        #[arg(long, env = "RHIZOGRAPH_OUT")]
        out: Option<PathBuf>,
    },
    /// Writes the demo's paper sheets as scans into a folder.
    Demo {
        #[arg(long)]
        out: PathBuf,
    },
    /// Reads one file for another process, with limits on what it may take.
    #[command(hide = true)]
    ReadFile {
        /// Bytes of memory it may hold.
        #[arg(long)]
        memory: u64,
    },
    /// Prepares pictures without a server: ink, lines, regions and a report for each.
    Prepare {
        /// PNG, JPEG, TIFF or SVG files.
        #[arg(required = true)]
        inputs: Vec<PathBuf>,
        /// The folder the results are written to.
        #[arg(long)]
        out: PathBuf,
        /// Settings as JSON, as the server saves them.
        #[arg(long)]
        recipe: Option<PathBuf>,
        /// The last step to do.
        #[arg(long, value_enum, default_value = "paint")]
        until: Until,
        /// How many pictures at a time; one a core, as far as memory allows, where it is not said.
        #[arg(long)]
        jobs: Option<usize>,
        /// What else is written of each.
        #[arg(long, value_enum, value_delimiter = ',')]
        write: Vec<Write>,
        /// Paint that is put on each, as JSON: a list of places and swatches.
        #[arg(long, requires = "swatches")]
        drops: Option<PathBuf>,
        /// The swatches that the drops name: .gpl, .css or .json.
        #[arg(long)]
        swatches: Option<PathBuf>,
    },
    /// Carries the paint of one picture to others without a server: drops, and the paint as a picture, for each.
    Carry {
        /// The painted picture: PNG, JPEG, TIFF or SVG.
        #[arg(long)]
        from: PathBuf,
        /// Its drops as JSON: a list of places and swatches.
        #[arg(long)]
        drops: PathBuf,
        /// The pictures it is carried to.
        #[arg(long, required = true, num_args = 1..)]
        to: Vec<PathBuf>,
        /// The folder the results are written to.
        #[arg(long)]
        out: PathBuf,
        /// Settings as JSON, as the server saves them.
        #[arg(long)]
        recipe: Option<PathBuf>,
    },
}

/// What a key lets somebody do.
#[derive(Clone, Copy, ValueEnum)]
enum KeyFor {
    Paint,
    Look,
}

async fn new_key(role: KeyFor, database_url: String) -> Result<(), Box<dyn std::error::Error>> {
    let pool = store::connect(&database_url).await?;
    let role = match role {
        KeyFor::Paint => Role::Paint,
        KeyFor::Look => Role::Look,
    };
    println!("{}", access::new_key(&pool, role).await?);
    Ok(())
}

fn read_recipe(path: Option<&PathBuf>) -> Result<Recipes, String> {
    let Some(path) = path else {
        return Ok(Recipes::default());
    };
    let text = std::fs::read_to_string(path).map_err(|e| format!("{}: {e}", path.display()))?;
    let recipes: Recipes = serde_json::from_str(&text).map_err(|e| format!("{}: {e}", path.display()))?;
    recipes.check().map_err(|e| format!("{}: {e}", path.display()))?;
    Ok(recipes)
}

/// What is done with each picture. Errors: settings, drops or swatches that cannot be read.
fn asked(
    recipe: Option<&PathBuf>,
    until: Until,
    write: Vec<Write>,
    (drops, swatches): (Option<&PathBuf>, Option<&PathBuf>),
) -> Result<Asked, String> {
    if !write.is_empty() && until < Until::Join {
        return Err("what is written with --write needs regions: --until join or paint".into());
    }
    let recipes = read_recipe(recipe)?;
    let drops = drops.map(|p| carry::read_drops(p)).transpose().map_err(|e| e.to_string())?.unwrap_or_default();
    let colours = swatches.map(|p| carry::read_swatches(p)).transpose().map_err(|e| e.to_string())?.unwrap_or_default();
    let known: Vec<String> = colours.swatches.iter().flat_map(Swatch::paints).collect();
    match drops.iter().find(|d| !known.contains(&d.swatch)) {
        Some(d) => Err(format!("a drop names {}, which is no swatch", d.swatch)),
        None => Ok(Asked { recipes, until, write, drops, colours }),
    }
}

fn write_demo(out: &std::path::Path) -> Result<(), Box<dyn std::error::Error>> {
    std::fs::create_dir_all(out)?;
    for (name, bytes) in rhizograph_app::demo::sheets()? {
        std::fs::write(out.join(name), bytes)?;
    }
    Ok(())
}

/// Runs what the server does until it ends, telling why if it failed.
fn run<E: std::fmt::Display>(what: impl Future<Output = Result<(), E>>) -> ExitCode {
    let ended = match rocket::tokio::runtime::Runtime::new() {
        Err(e) => Err(e.to_string()),
        Ok(runtime) => {
            let ended = runtime.block_on(what).map_err(|e| e.to_string());
            // What is still computed nobody waits for: the process ends under it.
            runtime.shutdown_background();
            ended
        }
    };
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("rhizograph: {e}");
            ExitCode::FAILURE
        }
    }
}

/// What the allocator asks for: after how many ms memory that was given back is the system's again; -1: never.
const GIVEN_BACK: &str = "MIMALLOC_PURGE_DELAY";

/// Begins anew as a process that keeps the memory of a picture for the next: fresh memory is cleared first, which takes long.
/// Comes back where it is one already.
fn keep_memory() -> Result<(), std::io::Error> {
    if std::env::var_os(GIVEN_BACK).is_some() {
        return Ok(());
    }
    let program = std::env::current_exe()?;
    Err(Command::new(program).args(std::env::args_os().skip(1)).env(GIVEN_BACK, "-1").exec())
}

fn main() -> ExitCode {
    let Arguments { what, longest_reading } = Arguments::parse();
    rhizograph_app::reader::give_time(longest_reading);
    match what {
        What::Serve { database_url, port, address, certificate, private_key, behind_proxy, host, web, out } => {
            let tls = certificate.zip(private_key).map(|(c, k)| [c, k]);
            let open = Openness { address, tls, behind_proxy, hosts: host };
            run(serve(Settings { database_url, port, open, web, out }))
        }
        What::Backup { folder, database_url } => run(backup::backup(folder, database_url)),
        What::Restore { folder, database_url, over } => run(backup::restore(folder, database_url, over)),
        What::Key { role, database_url } => run(new_key(role, database_url)),
        What::Work { database_url, out } => run(work(&database_url, out)),
        What::ReadFile { memory } => match rhizograph_app::reader::run(memory) {
            Ok(()) => ExitCode::SUCCESS,
            Err(_) => ExitCode::FAILURE,
        },
        What::Demo { out } => match write_demo(&out) {
            Ok(()) => ExitCode::SUCCESS,
            Err(e) => {
                eprintln!("rhizograph: {}: {e}", out.display());
                ExitCode::FAILURE
            }
        },
        What::Prepare { inputs, out, recipe, until, jobs, write, drops, swatches } => {
            // Without that it takes longer, no more.
            let kept = if inputs.len() > 1 { keep_memory() } else { Ok(()) };
            if let Err(e) = kept {
                eprintln!("rhizograph: memory is not kept from picture to picture: {e}");
            }
            let asked = asked(recipe.as_ref(), until, write, (drops.as_ref(), swatches.as_ref()));
            match asked {
                Ok(asked) => told(&inputs, prepare(&inputs, &out, &asked, jobs)),
                Err(e) => {
                    eprintln!("rhizograph: {e}");
                    ExitCode::from(2)
                }
            }
        }
        What::Carry { from, drops, to, out, recipe } => {
            let asked = read_recipe(recipe.as_ref())
                .and_then(|recipes| Ok((recipes, carry::read_drops(&drops).map_err(|e| e.to_string())?)));
            let (recipes, drops) = match asked {
                Ok(a) => a,
                Err(e) => {
                    eprintln!("rhizograph: {e}");
                    return ExitCode::from(2);
                }
            };
            match carry::carry_to(&from, &drops, &to, &out, &recipes) {
                Ok(results) => told(&to, results),
                Err(e) => {
                    eprintln!("rhizograph: {e}");
                    ExitCode::FAILURE
                }
            }
        }
    }
}

/// Tells what of each input's file is missing, or why it failed; fails if any did.
fn told(inputs: &[PathBuf], results: Vec<Result<Vec<String>, Error>>) -> ExitCode {
    let mut failed = false;
    for (input, result) in inputs.iter().zip(results) {
        match result {
            Ok(notes) => notes.iter().for_each(|note| eprintln!("rhizograph: {}: {note}", input.display())),
            Err(error) => {
                eprintln!("rhizograph: {error}");
                failed = true;
            }
        }
    }
    ExitCode::from(u8::from(failed))
}
