//! Routes by which somebody comes in, where the server asks for a key.

use super::routes::Answer;
use crate::api::{AccessTold, EnterRequest, Role};
use crate::service::access::Access;
use rocket::http::{Cookie, CookieJar, SameSite};
use rocket::serde::json::Json;
use rocket::time::Duration;
use rocket::{Route, State, get, post, routes};
use std::net::{IpAddr, Ipv4Addr};

/// What the browser keeps it by.
pub const COOKIE: &str = "rhizograph";
const KEPT: Duration = Duration::days(30);

/// Where somebody comes from, as far as that is known.
fn or_nowhere(from: Option<IpAddr>) -> IpAddr {
    from.unwrap_or(IpAddr::V4(Ipv4Addr::UNSPECIFIED))
}

/// Whether a key is asked for, and as what somebody came in.
#[get("/access")]
async fn access(access: &State<Access>, jar: &CookieJar<'_>) -> Json<AccessTold> {
    let role = match jar.get(COOKIE) {
        _ if !access.guarded => Some(Role::Paint),
        Some(cookie) => access.role(cookie.value()).await,
        None => None,
    };
    Json(AccessTold { guarded: access.guarded, role })
}

#[post("/enter", data = "<request>")]
async fn enter(
    access: &State<Access>,
    jar: &CookieJar<'_>,
    from: Option<IpAddr>,
    request: Json<EnterRequest>,
) -> Answer<AccessTold> {
    let (role, token) = access.enter(&request.key, or_nowhere(from)).await?;
    let cookie = Cookie::build((COOKIE, token)).http_only(true).same_site(SameSite::Strict).secure(access.secure);
    jar.add(cookie.path("/").max_age(KEPT));
    Ok(Json(AccessTold { guarded: access.guarded, role: Some(role) }))
}

#[post("/leave")]
async fn leave(access: &State<Access>, jar: &CookieJar<'_>) -> Answer<()> {
    if let Some(cookie) = jar.get(COOKIE) {
        access.leave(cookie.value()).await?;
        jar.remove(Cookie::build(COOKIE).path("/"));
    }
    Ok(Json(()))
}

pub fn all() -> Vec<Route> {
    routes![access, enter, leave]
}
