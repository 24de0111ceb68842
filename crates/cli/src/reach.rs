//! Who can reach the server: refuses what would let strangers listen in.

use std::path::Path;
use std::sync::Arc;

use anyhow::Context;
use jampin_web::Reach;
use rustls::ServerConfig;
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};

use crate::args::ReachArgs;
use crate::error::bad_input;

/// How the server is reached, and what it does TLS with, if it does.
pub(crate) fn reach(args: &ReachArgs) -> anyhow::Result<(Reach, Option<ServerConfig>)> {
    let tls = args.tls_certificate.as_deref().zip(args.tls_key.as_deref());
    let is_open = tls.is_some() || args.proxy.is_some();
    if !args.listen.is_loopback() && !is_open {
        let why = format!(
            "on {} everybody in the network could listen in: give --tls-certificate and --tls-key, or name the proxy \
             that does TLS with --proxy; or leave out --listen",
            args.listen
        );
        return Err(bad_input(why));
    }
    match &args.url {
        None if is_open => return Err(bad_input("say with --url what people type to get here")),
        Some(_) if !is_open => {
            return Err(bad_input("--url goes with TLS or a proxy; on loopback it is http://127.0.0.1"));
        }
        Some(url) if url.scheme() != "https" || !url.has_host() || url.path() != "/" => {
            return Err(bad_input(format!("--url begins with https:// and ends with the host: {url} does not")));
        }
        _ => {}
    }
    let config = tls.map(|(certificate, key)| server_config(certificate, key)).transpose()?;
    let reach = Reach { url: args.url.clone(), proxy: args.proxy, trusts_machine: !is_open };
    Ok((reach, config))
}

fn server_config(certificate: &Path, key: &Path) -> anyhow::Result<ServerConfig> {
    let unusable = |path: &Path, error: &dyn std::fmt::Display| bad_input(format!("{}: {error}", path.display()));
    let chain: Result<Vec<CertificateDer<'static>>, _> =
        CertificateDer::pem_file_iter(certificate).and_then(Iterator::collect);
    let chain = chain.map_err(|error| unusable(certificate, &error))?;
    let private = PrivateKeyDer::from_pem_file(key).map_err(|error| unusable(key, &error))?;
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let builder = ServerConfig::builder_with_provider(provider).with_safe_default_protocol_versions();
    let builder = builder.context("TLS cannot be set up")?.with_no_client_auth();
    builder.with_single_cert(chain, private).map_err(|error| unusable(certificate, &error))
}
