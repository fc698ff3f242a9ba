//! A server of its own for a test: a fresh database on the test cluster, the real program on a free port.

pub mod asking;

use std::net::TcpListener;
use std::process::{Child, Command, Stdio};
use std::sync::{Mutex, OnceLock};
use std::time::{Duration, Instant};

pub struct Server {
    child: Child,
    pub url: String,
    database: String,
}

fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn web() -> String {
    std::env::var("RHIZOGRAPH_WEB").unwrap_or_else(|_| concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/dist").into())
}

/// Starts the program; it may not answer yet.
fn begin(database: &str) -> (Child, String) {
    begin_given(database, &[])
}

fn begin_given(database: &str, given: &[(&str, &str)]) -> (Child, String) {
    let port = free_port();
    let child = Command::new(env!("CARGO_BIN_EXE_rhizograph"))
        .args(["serve", "--port", &port.to_string(), "--web", &web()])
        .env("DATABASE_URL", database)
        .envs(given.iter().copied())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    (child, format!("http://127.0.0.1:{port}"))
}

/// Waits until a server answers.
fn wait(url: &str) {
    let began = Instant::now();
    // The first start draws and scans the demo.
    while ureq::get(format!("{url}/api/productions")).call().is_err() {
        assert!(began.elapsed() < Duration::from_secs(120), "the server did not answer");
        std::thread::sleep(Duration::from_millis(100));
    }
}

fn launch(database: &str) -> (Child, String) {
    let (child, url) = begin(database);
    wait(&url);
    (child, url)
}

/// Makes a database on the test cluster, as a copy of `template` if one is named; gives its address.
fn new_database(template: Option<&str>) -> String {
    let cluster = std::env::var("RHIZOGRAPH_TEST_DATABASE")
        .expect("RHIZOGRAPH_TEST_DATABASE names the cluster; ./test sets it up");
    let nanos = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos();
    let name = format!("test_{}_{nanos}", std::process::id());
    let copy = template.and_then(|t| t.rsplit('/').next()).map_or(String::new(), |t| format!(" template {t}"));
    rocket::tokio::runtime::Runtime::new().unwrap().block_on(async {
        use sqlx::{Connection, Executor};
        let mut db = sqlx::PgConnection::connect(&format!("{cluster}/postgres")).await.unwrap();
        db.execute(sqlx::AssertSqlSafe(format!("create database {name}{copy}"))).await.unwrap();
    });
    format!("{cluster}/{name}")
}

/// A database with the demo loaded, made once: drawing and scanning its sheets takes a while.
fn demo() -> &'static str {
    static DEMO: OnceLock<String> = OnceLock::new();
    DEMO.get_or_init(|| {
        let database = new_database(None);
        let (mut child, _) = launch(&database);
        child.kill().unwrap();
        child.wait().unwrap();
        database
    })
}

/// Copies are made one at a time: nobody may be connected to what is copied.
static COPYING: Mutex<()> = Mutex::new(());

impl Server {
    /// Starts on a new database with the demo in it.
    pub fn start() -> Server {
        let database = {
            let _one = COPYING.lock().unwrap_or_else(|e| e.into_inner());
            let demo = demo();
            // The killed server's connections end a moment later.
            let began = Instant::now();
            loop {
                match std::panic::catch_unwind(|| new_database(Some(demo))) {
                    Ok(database) => break database,
                    Err(e) if began.elapsed() > Duration::from_secs(20) => std::panic::resume_unwind(e),
                    Err(_) => std::thread::sleep(Duration::from_millis(200)),
                }
            }
        };
        let (child, url) = launch(&database);
        Server { child, url, database }
    }

    /// The same with something in its environment.
    #[allow(dead_code)]
    pub fn start_given(given: &[(&str, &str)]) -> Server {
        let mut server = Server::start();
        server.child.kill().unwrap();
        server.child.wait().unwrap();
        (server.child, server.url) = begin_given(&server.database, given);
        wait(&server.url);
        server
    }

    /// Starts on a new database that has nothing in it yet, without waiting until it answers.
    #[allow(dead_code)]
    pub fn begin_empty() -> Server {
        let database = new_database(None);
        let (child, url) = begin(&database);
        Server { child, url, database }
    }

    /// The address of its database.
    #[allow(dead_code)]
    pub fn database(&self) -> &str {
        &self.database
    }

    /// Another server on the same database.
    #[allow(dead_code)]
    pub fn beside(&self) -> Server {
        let (child, url) = launch(&self.database);
        Server { child, url, database: self.database.clone() }
    }

    /// Kills the program as a crash would and starts it again on the same database.
    #[allow(dead_code)]
    pub fn crash_and_restart(&mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
        (self.child, self.url) = launch(&self.database);
    }

    /// How many steps of a drawing stand in the journal.
    #[allow(dead_code)]
    pub fn journal_length(&self, drawing: i64) -> i64 {
        rocket::tokio::runtime::Runtime::new().unwrap().block_on(async {
            let pool = rhizograph_app::store::connect(&self.database).await.unwrap();
            rhizograph_app::store::journal_length(&pool, drawing).await.unwrap()
        })
    }

    /// Changes what is stored behind the program's back.
    #[allow(dead_code)]
    pub fn execute(&self, sql: &str) {
        rocket::tokio::runtime::Runtime::new().unwrap().block_on(async {
            let pool = rhizograph_app::store::connect(&self.database).await.unwrap();
            sqlx::query(sqlx::AssertSqlSafe(sql.to_owned())).execute(&pool).await.unwrap();
        });
    }

    /// Counts something of what is stored.
    #[allow(dead_code)]
    pub fn count(&self, sql: &'static str) -> i64 {
        rocket::tokio::runtime::Runtime::new().unwrap().block_on(async {
            let pool = rhizograph_app::store::connect(&self.database).await.unwrap();
            sqlx::query_scalar(sql).fetch_one(&pool).await.unwrap()
        })
    }

    /// Waits until it answers.
    #[allow(dead_code)]
    pub fn wait_until_it_answers(&mut self) {
        wait(&self.url);
    }

    /// Asks the program to end, as a system that shuts down does; gives how long that took.
    #[allow(dead_code)]
    pub fn terminate(&mut self) -> Duration {
        let began = Instant::now();
        let pid = rustix::process::Pid::from_child(&self.child);
        rustix::process::kill_process(pid, rustix::process::Signal::TERM).unwrap();
        self.child.wait().unwrap();
        began.elapsed()
    }

    /// The number of the program's process.
    #[allow(dead_code)]
    pub fn process(&self) -> u32 {
        self.child.id()
    }

    /// A file of the built front end must be there for the browser.
    #[allow(dead_code)]
    pub fn web_is_built() -> bool {
        std::path::Path::new(&web()).join("index.html").exists()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Drives the interface of a server through a file of `e2e/tests`, in Debian's Chromium.
#[allow(dead_code)]
pub fn drive(server: &Server, file: &str) {
    assert!(Server::web_is_built(), "the front end is not built: npm --prefix web run build");
    let out = Command::new("node")
        .arg("run.mjs")
        .arg(file)
        .current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../../e2e"))
        .env("RHIZOGRAPH_URL", &server.url)
        .output()
        .expect("Node.js drives the browser");
    let said = String::from_utf8_lossy(&out.stdout);
    print!("{said}");
    assert!(out.status.success(), "{said}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(said.contains("interface: ok"), "no test ran in {file}");
}
