//! Who an identity provider says that somebody is: OpenID Connect Core 1.0, the authorization code flow, with a proof key
//! (RFC 7636). What is said is believed if it is signed by a key of the provider's, is meant for us, answers what we
//! asked, and is not too old.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use jampin_store::Identity;
use openidconnect::core::{
    CoreAuthenticationFlow, CoreClient, CoreIdToken, CoreIdTokenClaims, CoreJwsSigningAlgorithm, CoreProviderMetadata,
};
use openidconnect::{
    AuthorizationCode, ClaimsVerificationError, ClientId, ClientSecret, CsrfToken, EndpointMaybeSet, EndpointNotSet,
    EndpointSet, HttpRequest, HttpResponse, IssuerUrl, Nonce, PkceCodeChallenge, PkceCodeVerifier, RedirectUrl, Scope,
    TokenResponse,
};
use serde::{Deserialize, Serialize};
use url::Url;

use crate::error::ApiError;

/// How long what a provider says of itself, its keys among it, is believed.
const BELIEVED: Duration = Duration::from_secs(600);
/// How long one answer of the provider may take, and how long it may be.
const PATIENCE: Duration = Duration::from_secs(10);
const LONGEST_ANSWER: usize = 1 << 20;
/// Longest name that is kept of somebody, in characters.
const LONGEST_NAME: usize = 200;
/// Signatures that are believed: by a key of which the provider alone has the secret half.
const SIGNATURES: [CoreJwsSigningAlgorithm; 5] = [
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha256,
    CoreJwsSigningAlgorithm::RsaSsaPssSha256,
    CoreJwsSigningAlgorithm::EcdsaP256Sha256,
    CoreJwsSigningAlgorithm::EcdsaP384Sha384,
    CoreJwsSigningAlgorithm::EdDsa,
];

type Client =
    CoreClient<EndpointSet, EndpointNotSet, EndpointNotSet, EndpointNotSet, EndpointMaybeSet, EndpointMaybeSet>;

/// An identity provider.
#[derive(Clone, Debug)]
pub struct Provider {
    issuer: IssuerUrl,
    client: ClientId,
    secret: Option<ClientSecret>,
    /// What people call it.
    pub name: String,
    web: reqwest::Client,
    known: Arc<Mutex<Option<(Instant, CoreProviderMetadata)>>>,
}

/// What was asked, to be compared with the answer. Nobody but the browser's session has it.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Asked {
    pub state: String,
    nonce: Nonce,
    proof: String,
}

impl Provider {
    /// By the address that it goes by, and what we are to it. `name`: what people call it; its host, if nothing else is
    /// said. Only one on this machine may be spoken to without TLS.
    ///
    /// # Errors
    /// Says in a sentence what is wrong with the settings.
    pub fn new(issuer: &str, client: &str, secret: Option<String>, name: Option<String>) -> Result<Self, String> {
        let url: Url = issuer.parse().map_err(|error| format!("the identity provider's address {issuer}: {error}"))?;
        let is_here = matches!(url.host_str(), Some("127.0.0.1" | "localhost" | "[::1]"));
        if url.scheme() != "https" && !(url.scheme() == "http" && is_here) {
            return Err(format!("the identity provider's address {issuer} has to begin with https://"));
        }
        let web = reqwest::Client::builder().redirect(reqwest::redirect::Policy::none()).timeout(PATIENCE).build();
        Ok(Self {
            name: name.unwrap_or_else(|| url.host_str().unwrap_or_default().to_owned()),
            issuer: IssuerUrl::new(issuer.to_owned()).map_err(|error| error.to_string())?,
            client: ClientId::new(client.to_owned()),
            secret: secret.map(ClientSecret::new),
            web: web.map_err(|error| error.to_string())?,
            known: Arc::default(),
        })
    }

    /// Where to send a browser that is to come back to `back`, and what to keep until then.
    pub(crate) async fn ask(&self, back: &Url) -> Result<(Url, Asked), ApiError> {
        let client = self.client(back, false).await?;
        let (challenge, proof) = PkceCodeChallenge::new_random_sha256();
        let flow = CoreAuthenticationFlow::AuthorizationCode;
        let request = client.authorize_url(flow, CsrfToken::new_random, Nonce::new_random);
        let request = request.add_scope(Scope::new("profile".into())).set_pkce_challenge(challenge);
        let (to, state, nonce) = request.url();
        Ok((to, Asked { state: state.into_secret(), nonce, proof: proof.into_secret() }))
    }

    /// Who it is that came back with a code.
    pub(crate) async fn answered(&self, asked: Asked, code: String, back: &Url) -> Result<Identity, ApiError> {
        let client = self.client(back, false).await?;
        let exchange = client.exchange_code(AuthorizationCode::new(code)).map_err(|_| self.is_away("has no tokens"))?;
        let exchange = exchange.set_pkce_verifier(PkceCodeVerifier::new(asked.proof));
        let web = |request| self.fetch(request);
        let tokens = exchange.request_async(&web).await.map_err(|error| self.is_not_believed(error))?;
        let token = tokens.id_token().ok_or_else(|| self.is_not_believed("no identity came with the tokens"))?;
        match claims(&client, token, &asked.nonce) {
            // It may have other keys since they were fetched.
            Err(ClaimsVerificationError::SignatureVerification(_)) => {
                let client = self.client(back, true).await?;
                self.identity(claims(&client, token, &asked.nonce))
            }
            found => self.identity(found),
        }
    }

    fn identity(&self, found: Result<&CoreIdTokenClaims, ClaimsVerificationError>) -> Result<Identity, ApiError> {
        let claims = found.map_err(|error| self.is_not_believed(error))?;
        let name = claims.name().and_then(|names| names.get(None));
        let called = claims.preferred_username().map(|name| name.as_str());
        let called =
            called.or_else(|| claims.email().map(|email| email.as_str())).or_else(|| name.map(|name| name.as_str()));
        let called = called.unwrap_or_else(|| claims.subject().as_str());
        Ok(Identity {
            issuer: claims.issuer().to_string(),
            subject: claims.subject().to_string(),
            called: called.chars().filter(|c| !c.is_control()).take(LONGEST_NAME).collect(),
        })
    }

    /// Whether an answer names another provider (RFC 9207).
    pub(crate) fn is_other(&self, issuer: Option<&str>) -> bool {
        issuer.is_some_and(|issuer| issuer != self.issuer.as_str())
    }

    async fn client(&self, back: &Url, anew: bool) -> Result<Client, ApiError> {
        let metadata = self.metadata(anew).await?;
        let client = CoreClient::from_provider_metadata(metadata, self.client.clone(), self.secret.clone());
        Ok(client.set_redirect_uri(RedirectUrl::from_url(back.clone())))
    }

    async fn metadata(&self, anew: bool) -> Result<CoreProviderMetadata, ApiError> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner).clone();
        if let Some((at, metadata)) = known.filter(|(at, _)| !anew && at.elapsed() < BELIEVED) {
            tracing::trace!(age = at.elapsed().as_secs(), "the identity provider is known");
            return Ok(metadata);
        }
        let web = |request| self.fetch(request);
        let found = CoreProviderMetadata::discover_async(self.issuer.clone(), &web).await;
        let found = found.map_err(|error| self.is_away(error))?;
        *self.known.lock().unwrap_or_else(PoisonError::into_inner) = Some((Instant::now(), found.clone()));
        Ok(found)
    }

    async fn fetch(&self, request: HttpRequest) -> Result<HttpResponse, FetchError> {
        let request = reqwest::Request::try_from(request).map_err(FetchError::Web)?;
        let mut answer = self.web.execute(request).await.map_err(FetchError::Web)?;
        let mut said = HttpResponse::new(Vec::new());
        *said.status_mut() = answer.status();
        *said.headers_mut() = answer.headers().clone();
        while let Some(bytes) = answer.chunk().await.map_err(FetchError::Web)? {
            said.body_mut().extend_from_slice(&bytes);
            if said.body().len() > LONGEST_ANSWER {
                return Err(FetchError::TooLong);
            }
        }
        Ok(said)
    }

    fn is_away(&self, error: impl std::fmt::Debug) -> ApiError {
        tracing::warn!(?error, "the identity provider cannot be used");
        let name = &self.name;
        ApiError::NotYet(format!(
            "{name} does not answer as it should. Try again later, or sign in with your passphrase."
        ))
    }

    fn is_not_believed(&self, error: impl std::fmt::Debug) -> ApiError {
        tracing::warn!(?error, "what the identity provider said is not believed");
        let name = &self.name;
        ApiError::Forbidden(format!("What {name} says cannot be believed; you are not signed in. Begin again."))
    }
}

/// What a token says, if it is believed.
fn claims<'a>(
    client: &Client,
    token: &'a CoreIdToken,
    nonce: &Nonce,
) -> Result<&'a CoreIdTokenClaims, ClaimsVerificationError> {
    token.claims(&client.id_token_verifier().set_allowed_algs(SIGNATURES), nonce)
}

#[derive(Debug, thiserror::Error)]
enum FetchError {
    #[error(transparent)]
    Web(reqwest::Error),
    #[error("the answer is too long")]
    TooLong,
}

#[cfg(test)]
mod tests {
    use super::Provider;

    #[test]
    fn only_a_provider_on_this_machine_is_spoken_to_without_tls() {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let made = |issuer: &str| Provider::new(issuer, "jampin", None, None).map(|provider| provider.name);
        assert_eq!(made("https://people.example/realm").as_deref(), Ok("people.example"));
        assert!(made("http://127.0.0.1:9000").is_ok());
        for wrong in ["http://people.example", "people.example", "file:///etc/passwd", "http://127.0.0.1.example"] {
            assert!(made(wrong).is_err(), "{wrong}");
        }
    }
}
