//! Somebody's authenticator (RFC 6238).

use std::time::{Duration, SystemTime, UNIX_EPOCH};

use totp_rs::{Builder, Secret, Totp};

/// What shows a code every half minute. No code counts twice, so those of three half minutes in a row are good for three
/// things.
pub struct Authenticator(Totp);

impl Authenticator {
    /// One into which these letters were typed.
    ///
    /// # Panics
    /// When they are not base32.
    pub fn of(letters: &str) -> Self {
        let secret = Secret::try_from_base32(letters.replace(' ', "")).expect("letters of base32");
        Self(Builder::new().with_secret(secret).build().expect("an authenticator"))
    }

    /// What it shows so many half minutes from now. A code of the past is good until this half minute ends: where that
    /// is soon, the next is waited for.
    ///
    /// # Panics
    /// When the clock is not set.
    pub fn shows(&self, steps: i64) -> String {
        let clock = || SystemTime::now().duration_since(UNIX_EPOCH).expect("a clock").as_secs();
        let left = 30 - clock() % 30;
        if steps < 0 && left < 5 {
            std::thread::sleep(Duration::from_secs(left));
        }
        let now = clock();
        self.0.generate(now.saturating_add_signed(30 * steps)).to_string()
    }
}
