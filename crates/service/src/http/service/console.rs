//! The console's files, built into the program: which coding of a file a browser gets, and whether it has it already, is
//! told by tower-http.

use std::borrow::Cow;
use std::future::{Ready, ready};
use std::io;
use std::path::PathBuf;
use std::pin::Pin;
use std::task::{Context, Poll};
use std::time::{Duration, SystemTime};

use axum::body::Body;
use axum::extract::Request;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;
use tokio::io::{AsyncRead, AsyncSeek, ReadBuf};
use tower_http::services::ServeDir;
use tower_http::services::fs::{Backend, File, Metadata};

use crate::http::Failure;

/// What the console's page may do.
pub(crate) const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; \
                                 connect-src 'self'; font-src 'self'; frame-src 'self'; manifest-src 'self'; worker-src 'self'; \
                                 frame-ancestors 'none'; base-uri 'none'; form-action 'none'";

#[derive(RustEmbed)]
#[folder = "$CARGO_MANIFEST_DIR/../../console/dist"]
#[allow_missing = true]
struct Files;

/// Where the files that are built in seem to lie.
const ROOT: &str = "/";

/// The files that are built in, as a directory.
#[derive(Clone, Debug)]
struct BuiltIn;

/// What is known of a file.
#[derive(Clone, Copy, Debug)]
struct About {
    size: u64,
    modified: SystemTime,
    is_dir: bool,
}

impl Metadata for About {
    fn is_dir(&self) -> bool {
        self.is_dir
    }

    fn modified(&self) -> io::Result<SystemTime> {
        Ok(self.modified)
    }

    fn len(&self) -> u64 {
        self.size
    }
}

/// An open file.
#[derive(Debug)]
struct Opened {
    bytes: io::Cursor<Cow<'static, [u8]>>,
    about: About,
}

impl AsyncRead for Opened {
    fn poll_read(
        mut self: Pin<&mut Self>,
        cx: &mut Context<'_>,
        out: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        Pin::new(&mut self.bytes).poll_read(cx, out)
    }
}

impl AsyncSeek for Opened {
    fn start_seek(mut self: Pin<&mut Self>, to: io::SeekFrom) -> io::Result<()> {
        Pin::new(&mut self.bytes).start_seek(to)
    }

    fn poll_complete(mut self: Pin<&mut Self>, cx: &mut Context<'_>) -> Poll<io::Result<u64>> {
        Pin::new(&mut self.bytes).poll_complete(cx)
    }
}

impl File for Opened {
    type Metadata = About;
    type MetadataFuture<'a> = Ready<io::Result<About>>;

    fn metadata(&self) -> Self::MetadataFuture<'_> {
        ready(Ok(self.about))
    }
}

fn open(path: &std::path::Path) -> io::Result<Opened> {
    let name = path.strip_prefix(ROOT).unwrap_or(path);
    let found = name.to_str().and_then(Files::get).ok_or(io::ErrorKind::NotFound)?;
    let built = Duration::from_secs(found.metadata.last_modified().unwrap_or_default());
    let about =
        About { size: found.data.len() as u64, modified: SystemTime::UNIX_EPOCH + built, is_dir: false };
    Ok(Opened { bytes: io::Cursor::new(found.data), about })
}

impl Backend for BuiltIn {
    type File = Opened;
    type Metadata = About;
    type OpenFuture = Ready<io::Result<Opened>>;
    type MetadataFuture = Ready<io::Result<About>>;

    fn open(&self, path: PathBuf) -> Self::OpenFuture {
        ready(open(&path))
    }

    fn metadata(&self, path: PathBuf) -> Self::MetadataFuture {
        let root = About { size: 0, modified: SystemTime::UNIX_EPOCH, is_dir: true };
        ready(if path.as_path() == std::path::Path::new(ROOT) {
            Ok(root)
        } else {
            open(&path).map(|file| file.about)
        })
    }
}

pub(crate) async fn asset(request: Request) -> Response {
    let path = request.uri().path().trim_start_matches('/').to_owned();
    if path.starts_with("api/") {
        let detail = "the interface has no such call";
        return Failure::new(StatusCode::NOT_FOUND, "no-such-call", "No such call", detail)
            .hint("GET /api/v1/openapi.json lists them")
            .into_response();
    }
    let served =
        ServeDir::with_backend(ROOT, BuiltIn).precompressed_br().precompressed_gzip().try_call(request).await;
    let mut response = match served {
        Ok(response) => response.map(Body::new),
        Err(_) => StatusCode::NOT_FOUND.into_response(),
    };
    match response.status() {
        StatusCode::NOT_FOUND if path.is_empty() => {
            let words = "The console was not built. Run `make console`, then build yadorid again.\n";
            return (StatusCode::NOT_FOUND, words).into_response();
        }
        StatusCode::NOT_FOUND => return (StatusCode::NOT_FOUND, "There is no such page.\n").into_response(),
        StatusCode::METHOD_NOT_ALLOWED => {
            let detail = "the console's files can only be fetched";
            return Failure::new(StatusCode::METHOD_NOT_ALLOWED, "method", "Not by this method", detail)
                .into_response();
        }
        _ => {}
    }
    // Names under assets/ carry a digest of their content.
    let cache = if path.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    response.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static(cache));
    response
}
