//! The front end's own rules, without a browser: Vitest in `web/tests`.

use std::path::Path;
use std::process::Command;

#[test]
fn the_front_end_keeps_its_rules() {
    let web = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web");
    let run = Command::new("npm").args(["run", "--silent", "test"]).current_dir(web).output().expect("npm is there");
    let told = String::from_utf8_lossy(&run.stdout);
    assert!(run.status.success(), "{told}{}", String::from_utf8_lossy(&run.stderr));
    let passed = told.lines().find(|l| l.contains("Tests")).unwrap_or("nothing was run");
    println!("interface: {}", passed.trim());
    assert!(passed.contains("passed"), "{told}");
}
