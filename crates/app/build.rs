//! Tells the program by which state of its methods ink is lifted, so that ink kept by another state is made anew.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};

/// What decides how the pixels of a file become ink.
const METHODS: [&str; 4] = ["../core/src", "../formats/src", "../resample/src", "../../Cargo.lock"];

fn files(path: &Path, found: &mut Vec<PathBuf>) -> std::io::Result<()> {
    if path.is_dir() {
        for entry in std::fs::read_dir(path)? {
            files(&entry?.path(), found)?;
        }
    } else {
        found.push(path.to_owned());
    }
    Ok(())
}

fn main() -> std::io::Result<()> {
    let mut found = Vec::new();
    for path in METHODS {
        println!("cargo:rerun-if-changed={path}");
        files(Path::new(path), &mut found)?;
    }
    found.sort();
    let mut hasher = DefaultHasher::new();
    for path in found {
        (path.as_os_str(), std::fs::read(&path)?).hash(&mut hasher);
    }
    println!("cargo:rustc-env=RHIZOGRAPH_METHODS={:016x}", hasher.finish());
    Ok(())
}
