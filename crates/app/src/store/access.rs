//! Keys of a server that is open to a network, and who has shown one.

use crate::api::Role;
use sqlx::PgPool;

/// After so many days without being seen a session ends.
const SESSION_DAYS: i32 = 30;

fn name(role: Role) -> &'static str {
    match role {
        Role::Paint => "paint",
        Role::Look => "look",
    }
}

fn role(name: &str) -> Role {
    if name == "paint" { Role::Paint } else { Role::Look }
}

/// The hashes of the keys.
pub async fn keys(pool: &PgPool) -> sqlx::Result<Vec<(Role, String)>> {
    let rows: Vec<(String, String)> = sqlx::query_as("select role, hash from keys").fetch_all(pool).await?;
    Ok(rows.into_iter().map(|(r, hash)| (role(&r), hash)).collect())
}

/// Sets the key of a role; who came in with the one before has to show it again.
pub async fn set_key(pool: &PgPool, of: Role, hash: &str) -> sqlx::Result<()> {
    let mut tx = pool.begin().await?;
    let sql = "insert into keys (role, hash) values ($1, $2)
               on conflict (role) do update set hash = $2, made_at = now()";
    sqlx::query(sql).bind(name(of)).bind(hash).execute(&mut *tx).await?;
    sqlx::query("delete from sessions where role = $1").bind(name(of)).execute(&mut *tx).await?;
    tx.commit().await
}

pub async fn add_session(pool: &PgPool, token: &[u8], of: Role) -> sqlx::Result<()> {
    sqlx::query("delete from sessions where seen < now() - make_interval(days => $1)")
        .bind(SESSION_DAYS)
        .execute(pool)
        .await?;
    sqlx::query("insert into sessions (token, role) values ($1, $2)").bind(token).bind(name(of)).execute(pool).await?;
    Ok(())
}

/// The role of a session, which is seen by that; `None`: there is none.
pub async fn session(pool: &PgPool, token: &[u8]) -> sqlx::Result<Option<Role>> {
    let sql = "update sessions set seen = now() where token = $1
               and seen > now() - make_interval(days => $2) returning role";
    let found: Option<String> = sqlx::query_scalar(sql).bind(token).bind(SESSION_DAYS).fetch_optional(pool).await?;
    Ok(found.map(|r| role(&r)))
}

pub async fn end_session(pool: &PgPool, token: &[u8]) -> sqlx::Result<()> {
    sqlx::query("delete from sessions where token = $1").bind(token).execute(pool).await.map(|_| ())
}
