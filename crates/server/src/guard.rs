//! Who may talk to the program: requests for its own address, and writes and streams only from its
//! own pages.
//!
//! The Host check stops another site's name from being pointed at this machine; the Origin check
//! stops another site's page from writing. Programs without a browser send no Origin and are let
//! through: they run on this machine already.

use std::net::SocketAddr;
use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::problem::Problem;

/// Host headers the program answers to.
#[derive(Clone)]
pub struct Hosts(Arc<Vec<String>>);

impl Hosts {
    /// Loopback names at the port that is listened on.
    pub fn loopback(address: SocketAddr) -> Hosts {
        let port = address.port();
        Hosts(Arc::new(
            ["127.0.0.1", "localhost", "[::1]"]
                .iter()
                .map(|h| format!("{h}:{port}"))
                .collect(),
        ))
    }

    fn knows(&self, host: &str) -> bool {
        self.0.iter().any(|h| h.eq_ignore_ascii_case(host))
    }
}

fn text<'a>(headers: &'a HeaderMap, name: &header::HeaderName) -> Option<&'a str> {
    headers.get(name).and_then(|v| v.to_str().ok())
}

pub(crate) async fn check(State(hosts): State<Hosts>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    let host = text(headers, &header::HOST).unwrap_or_default();
    if !hosts.knows(host) {
        return Problem::new(
            StatusCode::MISDIRECTED_REQUEST,
            "wrong_host",
            format!("{host:?} is not an address of this program"),
        )
        .into_response();
    }
    let reads = matches!(
        *request.method(),
        Method::GET | Method::HEAD | Method::OPTIONS
    ) && !headers.contains_key(header::UPGRADE);
    if !reads && let Some(origin) = text(headers, &header::ORIGIN) {
        let own = origin
            .strip_prefix("http://")
            .is_some_and(|o| hosts.knows(o));
        if !own {
            return Problem::new(
                StatusCode::FORBIDDEN,
                "wrong_origin",
                format!("{origin:?} may not write here"),
            )
            .into_response();
        }
    }
    next.run(request).await
}
