//! Only the program's own pages may use the API: requests under another host name (a rebound DNS name) are refused, and
//! writing needs the page's own origin and a header that no foreign form can send.

use super::api::Refusal;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::{Method, Status, uri::Origin};
use rocket::serde::json::Json;
use rocket::{Data, Request, Route, get, routes};

pub struct Guard;

/// The header that the front end sends with every write.
pub const OWN_HEADER: &str = "x-rhizograph";

fn is_loopback(host: &str) -> bool {
    let name = match host.strip_prefix('[') {
        Some(rest) => rest.split(']').next().unwrap_or(""),
        None => host.split(':').next().unwrap_or(""),
    };
    matches!(name, "127.0.0.1" | "localhost" | "::1")
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
        Info { name: "own pages only", kind: Kind::Request }
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
        for own in ["127.0.0.1:7411", "localhost", "[::1]:7411", "localhost:80"] {
            assert!(is_loopback(own), "{own}");
        }
        for other in ["", "evil.example", "127.0.0.1.evil.example", "localhost.evil.example:7411", "[::2]"] {
            assert!(!is_loopback(other), "{other}");
        }
    }
}
