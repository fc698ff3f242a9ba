//! Who may come in where the server is open to a network: whoever shows a key, as what that key is for. Keys are kept as
//! Argon2id hashes (RFC 9106); what a browser keeps is a number of 256 random bits, of which the hash is stored.

use crate::api::Role;
use crate::service::error::Error;
use crate::store::access as kept;
use argon2::Argon2;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString};
use sha2::{Digest, Sha256};
use sqlx::PgPool;
use std::collections::HashMap;
use std::fmt::Write as _;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::Semaphore;

/// How long what is known of a session is believed.
const BELIEVED: Duration = Duration::from_secs(5);
/// Wrong keys from one address, and from all, that are taken in so long a time.
const TRIES: usize = 5;
const ALL_TRIES: usize = 60;
const WITHIN: Duration = Duration::from_secs(60);
/// The longest key that is looked at.
const LONGEST_KEY: usize = 200;

fn random<const N: usize>() -> Result<[u8; N], Error> {
    let mut bytes = [0; N];
    getrandom::fill(&mut bytes).map_err(|_| Error::BrokeOff)?;
    Ok(bytes)
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::new(), |mut s, b| {
        let _ = write!(s, "{b:02x}");
        s
    })
}

pub fn hashed(key: &str) -> Result<String, Error> {
    let salt = SaltString::encode_b64(&random::<16>()?).map_err(|_| Error::BrokeOff)?;
    let hash = Argon2::default().hash_password(key.as_bytes(), &salt).map_err(|_| Error::BrokeOff)?;
    Ok(hash.to_string())
}

pub fn is_key(key: &str, hash: &str) -> bool {
    PasswordHash::new(hash).is_ok_and(|h| Argon2::default().verify_password(key.as_bytes(), &h).is_ok())
}

/// Makes a new key for a role; the one before ends. Gives it: it is not kept.
pub async fn new_key(pool: &PgPool, role: Role) -> Result<String, Error> {
    let whole = hex(&random::<15>()?);
    let parts: Vec<&str> = (0..5).map(|n| &whole[6 * n..6 * n + 6]).collect();
    let key = parts.join("-");
    let hash = hashed(&key)?;
    kept::set_key(pool, role, &hash).await?;
    Ok(key)
}

/// Makes the keys that are not there yet; gives them.
pub async fn first_keys(pool: &PgPool) -> Result<Vec<(Role, String)>, Error> {
    let there = kept::keys(pool).await?;
    let mut made = Vec::new();
    for role in [Role::Paint, Role::Look] {
        if there.iter().all(|k| k.0 != role) {
            made.push((role, new_key(pool, role).await?));
        }
    }
    Ok(made)
}

/// What was found of a session, and when.
#[derive(Clone, Copy)]
struct Known {
    role: Option<Role>,
    at: Instant,
}

/// Who may come in.
pub struct Access {
    /// Whoever comes has to show a key.
    pub guarded: bool,
    /// What the browser keeps is only sent over TLS.
    pub secure: bool,
    /// The names by which the server is asked, besides those of this machine; none: any.
    pub hosts: Vec<String>,
    pool: PgPool,
    known: Mutex<HashMap<[u8; 32], Known>>,
    tries: Mutex<HashMap<IpAddr, Vec<Instant>>>,
    checking: Semaphore,
}

impl Access {
    pub fn new(pool: PgPool, guarded: bool, secure: bool, hosts: Vec<String>) -> Access {
        let checking = Semaphore::new(2);
        Access { guarded, secure, hosts, pool, known: Mutex::default(), tries: Mutex::default(), checking }
    }

    /// What somebody may do who holds this token, if anything.
    pub async fn role(&self, token: &str) -> Option<Role> {
        let token: [u8; 32] = Sha256::digest(token.as_bytes()).into();
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner).get(&token).copied();
        if let Some(known) = known.filter(|k| k.at.elapsed() < BELIEVED) {
            return known.role;
        }
        let role = match kept::session(&self.pool, &token).await {
            Ok(role) => role,
            // A database that is away is told by what is asked of it: whoever was in stays in.
            Err(_) => return known.and_then(|k| k.role),
        };
        let mut all = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, k| k.at.elapsed() < BELIEVED);
        all.insert(token, Known { role, at: Instant::now() });
        role
    }

    /// Takes a key; gives its role and a token to come in with. Errors: it is none; too many were tried.
    pub async fn enter(&self, key: &str, from: IpAddr) -> Result<(Role, String), Error> {
        if !self.may_try(from) {
            return Err(Error::TooManyTries);
        }
        let keys = kept::keys(&self.pool).await?;
        let _one = self.checking.acquire().await.map_err(|_| Error::BrokeOff)?;
        let key: String = key.trim().chars().take(LONGEST_KEY).collect();
        // All are tried, so that time tells nothing.
        let trying = move || {
            let matches: Vec<Role> = keys.iter().filter(|(_, hash)| is_key(&key, hash)).map(|k| k.0).collect();
            matches.first().copied()
        };
        let role = tokio::task::spawn_blocking(trying).await.map_err(|_| Error::BrokeOff)?;
        let Some(role) = role else {
            self.tries.lock().unwrap_or_else(PoisonError::into_inner).entry(from).or_default().push(Instant::now());
            return Err(Error::NoKey);
        };
        let token = hex(&random::<32>()?);
        kept::add_session(&self.pool, &Sha256::digest(token.as_bytes()), role).await?;
        Ok((role, token))
    }

    /// Ends what a token is good for.
    pub async fn leave(&self, token: &str) -> Result<(), Error> {
        let token: [u8; 32] = Sha256::digest(token.as_bytes()).into();
        self.known.lock().unwrap_or_else(PoisonError::into_inner).remove(&token);
        Ok(kept::end_session(&self.pool, &token).await?)
    }

    fn may_try(&self, from: IpAddr) -> bool {
        let mut all = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, wrong| {
            wrong.retain(|at| at.elapsed() < WITHIN);
            !wrong.is_empty()
        });
        all.get(&from).map_or(0, Vec::len) < TRIES && all.values().map(Vec::len).sum::<usize>() < ALL_TRIES
    }
}
