//! A server of its own for a test: a fresh database on the test cluster, the real program on a free port.

pub mod asking;
pub mod many_lines;

use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, OnceLock};
use std::time::{Duration, Instant};

pub struct Server {
    child: Child,
    pub url: String,
    database: String,
}

/// A port that nobody listens on, below those that the system gives to whoever connects: none of them takes it before the
/// server does.
fn free_port() -> u16 {
    static NEXT: AtomicU32 = AtomicU32::new(0);
    loop {
        let n = std::process::id().wrapping_mul(251).wrapping_add(NEXT.fetch_add(1, Ordering::Relaxed));
        let port = 10_000 + (n % 20_000) as u16;
        if TcpListener::bind(("127.0.0.1", port)).is_ok() {
            return port;
        }
    }
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
fn wait(child: &mut Child, url: &str) {
    let began = Instant::now();
    // The first start draws and scans the demo.
    while ureq::get(format!("{url}/api/productions")).call().is_err() {
        assert!(child.try_wait().unwrap().is_none(), "the server ended");
        assert!(began.elapsed() < Duration::from_secs(300), "the server did not answer");
        std::thread::sleep(Duration::from_millis(100));
    }
}

fn launch(database: &str) -> (Child, String) {
    let (mut child, url) = begin(database);
    wait(&mut child, &url);
    (child, url)
}

/// Asks the test cluster for something.
fn of_the_cluster(sql: &str) -> Result<Option<String>, sqlx::Error> {
    rocket::tokio::runtime::Runtime::new().unwrap().block_on(async {
        use sqlx::Connection;
        let mut db = sqlx::PgConnection::connect(&format!("{}/postgres", cluster())).await.unwrap();
        sqlx::query_scalar(sqlx::AssertSqlSafe(sql.to_owned())).fetch_optional(&mut db).await
    })
}

fn cluster() -> String {
    std::env::var("RHIZOGRAPH_TEST_DATABASE").expect("RHIZOGRAPH_TEST_DATABASE names the cluster; ./test sets it up")
}

fn nanos(time: std::time::SystemTime) -> u128 {
    time.duration_since(std::time::UNIX_EPOCH).unwrap().as_nanos()
}

/// Makes a database on the test cluster, as a copy of `template` if one is named; gives its address.
fn new_database(template: Option<&str>) -> String {
    let name = format!("test_{}_{}", std::process::id(), nanos(std::time::SystemTime::now()));
    let copy = template.map_or(String::new(), |t| format!(" template {t}"));
    of_the_cluster(&format!("create database {name}{copy}")).unwrap();
    format!("{}/{name}", cluster())
}

/// The name of a database with the demo loaded. Drawing and scanning its sheets takes a while, so it is made once by each
/// build of the program, for all tests.
fn demo() -> &'static str {
    static DEMO: OnceLock<String> = OnceLock::new();
    DEMO.get_or_init(|| {
        let built = std::fs::metadata(env!("CARGO_BIN_EXE_rhizograph")).unwrap().modified().unwrap();
        let name = format!("demo_{}", nanos(built));
        let is_there = format!("select datname::text from pg_database where datname = '{name}'");
        if of_the_cluster(&is_there).unwrap().is_none() {
            let database = new_database(None);
            let (mut child, _) = launch(&database);
            child.kill().unwrap();
            child.wait().unwrap();
            let made = database.rsplit('/').next().unwrap();
            // The killed server's connections end a moment later.
            soon(|| of_the_cluster(&format!("alter database {made} rename to {name}")));
        }
        name
    })
}

/// Does what may have to wait a moment.
fn soon<T, E: std::fmt::Debug>(mut f: impl FnMut() -> Result<T, E>) -> T {
    let began = Instant::now();
    loop {
        match f() {
            Ok(t) => break t,
            Err(e) if began.elapsed() > Duration::from_secs(60) => panic!("{e:?}"),
            Err(_) => std::thread::sleep(Duration::from_millis(200)),
        }
    }
}

/// Copies are made one at a time: nobody may be connected to what is copied.
static COPYING: Mutex<()> = Mutex::new(());

impl Server {
    /// Starts on a new database with the demo in it.
    pub fn start() -> Server {
        let database = {
            let _one = COPYING.lock().unwrap_or_else(|e| e.into_inner());
            new_database(Some(demo()))
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
        wait(&mut server.child, &server.url);
        server
    }

    /// Starts with more arguments, on a database that holds something; gives what it says until it is ready.
    #[allow(dead_code)]
    pub fn start_told(database: &str, arguments: &[&str]) -> (Server, Vec<String>) {
        let port = free_port();
        let mut child = Command::new(env!("CARGO_BIN_EXE_rhizograph"))
            .args(["serve", "--port", &port.to_string(), "--web", &web()])
            .args(arguments)
            .env("DATABASE_URL", database)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let stdout = BufReader::new(child.stdout.take().unwrap());
        let mut server = Server { child, url: String::new(), database: database.to_owned() };
        let mut said = Vec::new();
        for line in stdout.lines() {
            said.push(line.unwrap());
            if let Some((_, url)) = said.last().unwrap().split_once("is ready: ") {
                server.url = url.to_owned();
                break;
            }
        }
        assert!(!server.url.is_empty(), "the server ended: {said:?}");
        let began = Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(began.elapsed() < Duration::from_secs(60), "nobody listens");
            std::thread::sleep(Duration::from_millis(30));
        }
        (server, said)
    }

    /// A database with nothing in it.
    #[allow(dead_code)]
    pub fn empty_database() -> String {
        new_database(None)
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
    drive_given(server, file, &[]);
}

/// The same with something in its environment.
#[allow(dead_code)]
pub fn drive_given(server: &Server, file: &str, given: &[(&str, &str)]) {
    assert!(Server::web_is_built(), "the front end is not built: npm --prefix web run build");
    let out = Command::new("node")
        .arg("run.mjs")
        .arg(file)
        .current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../../e2e"))
        .env("RHIZOGRAPH_URL", &server.url)
        .envs(given.iter().copied())
        .output()
        .expect("Node.js drives the browser");
    let said = String::from_utf8_lossy(&out.stdout);
    print!("{said}");
    assert!(out.status.success(), "{said}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(said.contains("interface: ok"), "no test ran in {file}");
}
