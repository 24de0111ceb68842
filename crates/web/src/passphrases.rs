//! Passphrases: what is asked of one, and what is kept of it.

use argon2::password_hash::phc::PasswordHash;
use argon2::{Algorithm, Argon2, Params, PasswordHasher, PasswordVerifier, Version};
use tokio::sync::Semaphore;
use zxcvbn::{Score, zxcvbn};

use crate::error::ApiError;

/// Characters of a passphrase.
pub(crate) const LEAST: usize = 12;
pub(crate) const MOST: usize = 200;

/// Memory in KiB, passes and lanes: the second choice of OWASP's Password Storage Cheat Sheet for argon2id.
const COST: (u32, u32, u32) = (19 * 1024, 2, 1);
/// Each takes the memory above and some tens of milliseconds of a processor.
static AT_ONCE: Semaphore = Semaphore::const_new(2);

/// What is compared with where nobody has such a name, so that the answer takes as long: made with the cost above from
/// a passphrase that nobody has.
const NOBODY_S: &str =
    "$argon2id$v=19$m=19456,t=2,p=1$bm9ib2R5IGhhcyB0aGlz$7h8vJ0Y1dQyq7yVh2m3T1n0k9s8b5x4c6u7w2r1e0fA";

fn argon2() -> Result<Argon2<'static>, ApiError> {
    let (memory, passes, lanes) = COST;
    let params = Params::new(memory, passes, lanes, None).map_err(ApiError::internal)?;
    Ok(Argon2::new(Algorithm::Argon2id, Version::V0x13, params))
}

/// Refuses what is too short, or what guessing programs try early. `about` are words that everybody knows of this
/// person.
pub(crate) fn check(passphrase: &str, about: &[&str]) -> Result<(), ApiError> {
    if !(LEAST..=MOST).contains(&passphrase.chars().count()) {
        return Err(ApiError::Unusable(format!("A passphrase has {LEAST} to {MOST} characters.")));
    }
    if zxcvbn(passphrase, about).score() < Score::Three {
        return Err(ApiError::Unusable(
            "This passphrase is easy to guess. Take four or five words that do not belong together.".into(),
        ));
    }
    Ok(())
}

/// What is kept of a passphrase.
pub(crate) async fn hash(passphrase: String) -> Result<String, ApiError> {
    aside(move || {
        let hashed = argon2()?.hash_password(passphrase.as_bytes()).map_err(ApiError::internal)?;
        Ok(hashed.to_string())
    })
    .await
}

/// Whether this is the passphrase that this was kept of. Takes as long where nothing was kept.
pub(crate) async fn fits(passphrase: String, kept: Option<String>) -> Result<bool, ApiError> {
    aside(move || {
        let hash = PasswordHash::new(kept.as_deref().unwrap_or(NOBODY_S)).map_err(ApiError::internal)?;
        Ok(argon2()?.verify_password(passphrase.as_bytes(), &hash).is_ok() && kept.is_some())
    })
    .await
}

async fn aside<T: Send + 'static>(work: impl FnOnce() -> Result<T, ApiError> + Send + 'static) -> Result<T, ApiError> {
    let permit = AT_ONCE.acquire().await.map_err(ApiError::internal)?;
    let done = actix_web::web::block(move || {
        let _permit = permit;
        work()
    });
    done.await.map_err(ApiError::internal)?
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn short_and_common_ones_are_refused_and_those_made_of_the_name() {
        assert!(matches!(check("short", &[]), Err(ApiError::Unusable(why)) if why.contains("12 to 200")));
        for easy in ["password1234", "qwertyuiop12", "aaaaaaaaaaaaaaaa", "123456789012"] {
            assert!(matches!(check(easy, &[]), Err(ApiError::Unusable(why)) if why.contains("guess")), "{easy}");
        }
        assert!(check("marjoleinmarjolein", &["marjolein"]).is_err());
        assert!(check("kettle orbit mango finch", &["marjolein"]).is_ok());
        assert!(check(&"x y".repeat(100), &[]).is_err());
    }

    #[test]
    fn only_the_same_passphrase_fits_and_nobody_s_fits_nothing() {
        let runtime = actix_web::rt::System::new();
        runtime.block_on(async {
            let kept = hash("kettle orbit mango finch".into()).await.unwrap();
            assert!(kept.starts_with("$argon2id$v=19$m=19456,t=2,p=1$"), "{kept}");
            assert!(fits("kettle orbit mango finch".into(), Some(kept.clone())).await.unwrap());
            assert!(!fits("kettle orbit mango finc".into(), Some(kept)).await.unwrap());
            assert!(!fits("kettle orbit mango finch".into(), None).await.unwrap());
        });
    }

    /// The reference implementation's own test (phc-winner-argon2, test.c: argon2id, version 19, t=2, m=2^16, p=1,
    /// "password", "somesalt"), written from memory.
    #[test]
    fn the_reference_implementation_s_hash_is_understood() {
        let published = "$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc";
        let runtime = actix_web::rt::System::new();
        assert!(runtime.block_on(fits("password".into(), Some(published.into()))).unwrap());
    }
}
