//! Keys that nobody can guess, and what is kept of them.

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use sha2::{Digest, Sha256};

use crate::error::ApiError;

/// A key of 256 random bits, as it goes into an address.
pub(crate) fn fresh() -> Result<String, ApiError> {
    let mut bytes = [0u8; 32];
    getrandom::fill(&mut bytes).map_err(ApiError::internal)?;
    Ok(URL_SAFE_NO_PAD.encode(bytes))
}

/// What is kept of a key: who reads it cannot use it. A key is random, so that no salt is needed.
pub(crate) fn hash(key: &str) -> Vec<u8> {
    Sha256::digest(key.as_bytes()).to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_differ_and_their_hash_is_sha_256() {
        let (a, b) = (fresh().unwrap(), fresh().unwrap());
        assert_ne!(a, b);
        assert_eq!(a.len(), 43, "256 bits in base64 without its filling");
        // FIPS 180-4, the example for "abc" (NIST, SHA256.pdf of the example values).
        let abc: String = hash("abc").iter().map(|byte| format!("{byte:02x}")).collect();
        assert_eq!(abc, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    }
}
