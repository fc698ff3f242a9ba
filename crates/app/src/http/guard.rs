//! Only the program's own pages may use the API: requests under another host name (a rebound DNS name) are refused, and
//! writing needs the page's own origin and a header that no foreign form can send.

use crate::api::Refusal;
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

fn is_loopback(host: &str) -> bool {
    let port = ["127.0.0.1", "localhost", "[::1]"].iter().find_map(|name| host.strip_prefix(name));
    port.is_some_and(|port| {
        port.is_empty() || port.strip_prefix(':').is_some_and(|p| p.len() <= 5 && p.bytes().all(|b| b.is_ascii_digit()))
    })
}

fn refusal(request: &Request<'_>) -> bool {
    let host = request.headers().get_one("host").unwrap_or("");
    if !is_loopback(host) {
        return true;
    }
    if matches!(request.method(), Method::Get | Method::Head) {
        return false;
    }
    let own = request.headers().get_one("origin").is_none_or(|o| o == format!("http://{host}"));
    !own || request.headers().get_one(OWN_HEADER).is_none()
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
        if refusal(request) {
            request.set_method(Method::Get);
            request.set_uri(Origin::path_only("/refused"));
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

pub fn routes() -> Vec<Route> {
    routes![refused]
}

#[cfg(test)]
mod tests {
    use super::is_loopback;

    #[test]
    fn only_loopback_names_are_own() {
        for own in ["127.0.0.1:7411", "localhost", "[::1]:7411", "[::1]", "localhost:80"] {
            assert!(is_loopback(own), "{own}");
        }
        for other in [
            "",
            "evil.example",
            "127.0.0.1.evil.example",
            "localhost.evil.example:7411",
            "[::2]",
            "[::1]evil",
            "[::1]:7411@evil",
            "127.0.0.1:7500@evil",
            "localhost:80x",
            "127.0.0.1:999999",
        ] {
            assert!(!is_loopback(other), "{other}");
        }
    }
}
