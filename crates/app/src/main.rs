//! The command line of `rhizograph`.

use clap::{Parser, Subcommand};
use rhizograph_app::cli::carry;
use rhizograph_app::cli::prepare::{Asked, Error, Until, Write, prepare};
use rhizograph_app::http::{Settings, serve};
use rhizograph_app::jobs::work;
use rhizograph_core::model::paint::Swatch;
use rhizograph_core::model::recipe::Recipes;
use std::path::PathBuf;
use std::process::ExitCode;

/// Pictures are large and come and go on many threads: this allocator gives their memory back at once.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Makes inked animation drawings ready for colour.
#[derive(Parser)]
#[command(name = "rhizograph", version)]
struct Arguments {
    #[command(subcommand)]
    what: What,
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
        /// The folder of the built front end.
        #[arg(long, default_value = "web/dist")]
        web: PathBuf,
        /// A folder that files may be handed off to.
        #[arg(long, env = "RHIZOGRAPH_OUT")]
        out: Option<PathBuf>,
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
    for sheet in rhizograph_app::demo::sheets() {
        let (name, bytes) = sheet?;
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

fn main() -> ExitCode {
    match Arguments::parse().what {
        What::Serve { database_url, port, web, out } => run(serve(Settings { database_url, port, web, out })),
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
