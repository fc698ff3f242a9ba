//! Only the program's own pages may use the API: requests under another host name (a rebound DNS name) are refused, and
//! writing needs the page's own origin and a header that no foreign form can send. Where the server is open to a network,
//! whoever asks has shown a key.

use super::access::COOKIE;
use crate::api::{Refusal, Role};
use crate::service::access::Access;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::uri::Origin;
use rocket::http::{Method, Status};
use rocket::serde::json::Json;
use rocket::{Data, Request, Response, Route, get, routes};

pub struct Guard;

/// Nothing of a page comes from elsewhere, and no other page holds it.
const POLICY: &str = "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; \
                      font-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'none'; \
                      frame-ancestors 'none'";

/// The header that the front end sends with every write.
pub const OWN_HEADER: &str = "x-rhizograph";

pub fn is_loopback(host: &str) -> bool {
    let port = ["127.0.0.1", "localhost", "[::1]"].iter().find_map(|name| host.strip_prefix(name));
    port.is_some_and(|port| {
        port.is_empty() || port.strip_prefix(':').is_some_and(|p| p.len() <= 5 && p.bytes().all(|b| b.is_ascii_digit()))
    })
}

/// Why a request is refused.
#[derive(Clone, Copy)]
enum Why {
    Foreign,
    NoKey,
    OnlyLooks,
}

/// What somebody asks for who is not in yet.
const BEFORE: [[&str; 2]; 2] = [["api", "access"], ["api", "enter"]];

/// What is asked with a body and changes nothing: the last part of its path.
const LOOKS: [&str; 10] = ["enter", "leave", "here", "glance", "strip", "leak", "span", "landing", "tried", "lines"];

/// Whether a request changes nothing, however often it is made.
pub fn looks(method: Method, path: &[&str]) -> bool {
    match method {
        Method::Get | Method::Head => true,
        Method::Post => match path {
            [.., "hand-off", "names"] => true,
            [.., last] => LOOKS.contains(last),
            [] => false,
        },
        _ => false,
    }
}

async fn refusal(request: &Request<'_>) -> Option<Why> {
    let access = request.rocket().state::<Access>()?;
    // Over HTTP/2 the name stands in the address.
    let host = request.headers().get_one("host").map(str::to_owned);
    let host = host.or_else(|| request.host().map(ToString::to_string)).unwrap_or_default();
    let host = host.as_str();
    let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
    let is_known = if access.guarded {
        access.hosts.is_empty() || access.hosts.iter().any(|h| h == host || h == name) || is_loopback(host)
    } else {
        is_loopback(host)
    };
    if !is_known {
        return Some(Why::Foreign);
    }
    if !matches!(request.method(), Method::Get | Method::Head) {
        let is_own = |o: &str| {
            o.strip_prefix("http://") == Some(host) || (access.guarded && o.strip_prefix("https://") == Some(host))
        };
        let own = request.headers().get_one("origin").is_none_or(is_own);
        if !own || request.headers().get_one(OWN_HEADER).is_none() {
            return Some(Why::Foreign);
        }
    }
    // As the routes read it: decoded, without what is empty.
    let path: Vec<&str> = request.uri().path().segments().collect();
    if !access.guarded || path.first() != Some(&"api") || BEFORE.iter().any(|b| path == *b) {
        return None;
    }
    let role = match request.cookies().get(COOKIE) {
        Some(cookie) => access.role(cookie.value()).await,
        None => None,
    };
    match role {
        Some(Role::Paint) => None,
        Some(Role::Look) if looks(request.method(), &path) => None,
        Some(Role::Look) => Some(Why::OnlyLooks),
        None => Some(Why::NoKey),
    }
}

#[rocket::async_trait]
impl Fairing for Guard {
    fn info(&self) -> Info {
        Info { name: "own pages only", kind: Kind::Request | Kind::Response }
    }

    /// What a page may do, and how long what it is made of is kept: files named by their contents for ever, the page that
    /// names them never unasked.
    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        response.set_raw_header("Content-Security-Policy", POLICY);
        response.set_raw_header("X-Content-Type-Options", "nosniff");
        response.set_raw_header("Referrer-Policy", "no-referrer");
        response.set_raw_header("Cross-Origin-Resource-Policy", "same-origin");
        if response.headers().contains("Cache-Control") {
            return;
        }
        let path = request.uri().path();
        let is_named_by_contents = path.starts_with("/assets/") && response.status() == Status::Ok;
        let is_api = path.starts_with("/api/");
        let keep = match (is_named_by_contents, is_api) {
            (true, _) => "public, max-age=31536000, immutable",
            (false, true) => "no-store",
            (false, false) => "no-cache",
        };
        response.set_raw_header("Cache-Control", keep);
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        if let Some(why) = refusal(request).await {
            request.set_method(Method::Get);
            request.set_uri(Origin::path_only(match why {
                Why::Foreign => "/refused",
                Why::NoKey => "/refused/key",
                Why::OnlyLooks => "/refused/looks",
            }));
        }
    }
}

#[get("/refused")]
fn refused() -> (Status, Json<Refusal>) {
    let told = Refusal {
        error: "this request did not come from Rhizograph's own page".into(),
        advice: "Nothing was changed. Open the address the program printed.".into(),
        revision: None,
    };
    (Status::Forbidden, Json(told))
}

#[get("/refused/key")]
fn no_key() -> (Status, Json<Refusal>) {
    let told = Refusal {
        error: "this server asks for a key".into(),
        advice: "Nothing was changed. Open its page and show the key.".into(),
        revision: None,
    };
    (Status::Unauthorized, Json(told))
}

#[get("/refused/looks")]
fn only_looks() -> (Status, Json<Refusal>) {
    let told = Refusal {
        error: "with this key everything can be looked at, and nothing changed".into(),
        advice: "Nothing was changed. The key for painting lets you in to work.".into(),
        revision: None,
    };
    (Status::Forbidden, Json(told))
}

pub fn routes() -> Vec<Route> {
    routes![refused, no_key, only_looks]
}
