//! Codes that somebody's authenticator shows: time-based one-time passwords (RFC 6238) of six digits, SHA-1 and half a
//! minute, which is what all of them know.

use std::time::{SystemTime, UNIX_EPOCH};

use base64::Engine;
use base64::engine::general_purpose::STANDARD_NO_PAD;
use jampin_store::Person;
use qrcode::QrCode;
use qrcode::render::svg::Color;
use serde::{Deserialize, Serialize};
use totp_rs::{Builder, Secret, Totp};

use crate::error::ApiError;

/// What an authenticator shares with us.
#[derive(Clone, Serialize, Deserialize)]
pub(crate) struct Shared(String);

impl Shared {
    /// 160 random bits, as RFC 4226 (section 4) recommends.
    pub fn fresh() -> Result<Self, ApiError> {
        let mut bytes = [0u8; 20];
        getrandom::fill(&mut bytes).map_err(ApiError::internal)?;
        Ok(Self::of(&bytes))
    }

    /// As it is kept.
    pub fn of(bytes: &[u8]) -> Self {
        Self(STANDARD_NO_PAD.encode(bytes))
    }

    /// To be kept.
    pub fn bytes(&self) -> Result<Vec<u8>, ApiError> {
        STANDARD_NO_PAD.decode(&self.0).map_err(ApiError::internal)
    }

    fn authenticator(&self, name: &str) -> Result<Totp, ApiError> {
        // A colon would part the name from who gives it.
        let (of, name) = (Some("Jam Pin"), name.replace(':', " "));
        let made =
            Builder::new().with_secret(Secret::from(self.bytes()?)).with_issuer(of).with_account_name(name).build();
        made.map_err(ApiError::internal)
    }

    /// To be typed where there is no camera: base32 in groups of four.
    pub fn in_letters(&self) -> Result<String, ApiError> {
        let letters = Secret::from(self.bytes()?).to_base32();
        let groups: Vec<&str> =
            (0..letters.len()).step_by(4).map(|at| &letters[at..(at + 4).min(letters.len())]).collect();
        Ok(groups.join(" "))
    }

    /// To be read by a camera: a picture as SVG.
    pub fn picture(&self, person: &Person) -> Result<String, ApiError> {
        let url = self.authenticator(&person.name)?.to_url().map_err(ApiError::internal)?;
        let code = QrCode::new(url).map_err(ApiError::internal)?;
        Ok(code.render().min_dimensions(180, 180).dark_color(Color("#22272b")).light_color(Color("#fff")).build())
    }

    /// The step that a code is of, if it is one of now, or of the half minute before or after.
    pub fn step_of(&self, code: &str) -> Result<Option<u64>, ApiError> {
        let digits: String = code.chars().filter(char::is_ascii_digit).collect();
        let now = SystemTime::now().duration_since(UNIX_EPOCH).map_err(ApiError::internal)?.as_secs();
        Ok(self.authenticator("")?.check(&digits, now))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_those_of_the_standard() {
        // RFC 6238, appendix B: the secret "12345678901234567890", SHA-1; of its eight digits the last six.
        let authenticator = Shared::of(b"12345678901234567890").authenticator("Ada: works").unwrap();
        for (time, code) in [(59, "287082"), (1111111109, "081804"), (1234567890, "005924"), (2000000000, "279037")] {
            assert_eq!(authenticator.check(code, time), Some(time / 30), "{time}");
            assert_eq!(authenticator.check(code, time + 90), None, "a minute and a half later");
        }
        assert!(authenticator.to_url().unwrap().starts_with("otpauth://totp/Jam%20Pin:Ada%20%20works?secret=GEZDGNBV"));
    }

    #[test]
    fn what_is_shared_can_be_typed_and_seen() {
        let shared = Shared::of(b"12345678901234567890");
        // RFC 4648: base32.
        assert_eq!(shared.in_letters().unwrap(), "GEZD GNBV GY3T QOJQ GEZD GNBV GY3T QOJQ");
        let again = Shared::fresh().unwrap();
        assert_ne!(again.bytes().unwrap(), Shared::fresh().unwrap().bytes().unwrap());
        assert_eq!(again.bytes().unwrap().len(), 20);
        assert_eq!(again.step_of("nonsense").unwrap(), None);
    }
}
