//! HTTP over the service's Unix socket: `ureq` with a transport of our own. No key is sent: the socket is this user's.

use std::io::{ErrorKind, Read, Write};
use std::os::unix::net::UnixStream;
use std::path::PathBuf;
use std::time::Duration;

use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use rustix::process::Pid;
use serde::Serialize;
use serde::de::DeserializeOwned;
use ureq::config::Config;
use ureq::http::{Response, Uri};
use ureq::unversioned::resolver::{ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{
    Buffers, ConnectionDetails, Connector, LazyBuffers, NextTimeout, Transport,
};
use ureq::{Agent, Body, Error, SendBody};
use yadori_api::transfers::TRANSFER;
use yadori_api::{Found, Problem, ROOT};

use crate::failure::Failure;
use yadori_words::{Language, said, word};

/// Bytes buffered in each direction.
const BUFFER: usize = 128 * 1024;

/// The way to the service.
#[derive(Clone, Debug)]
pub(crate) struct Connection {
    socket: PathBuf,
    agent: Agent,
}

impl Connection {
    /// The service behind a socket, which is to answer in this language.
    pub(crate) fn to(socket: PathBuf, language: Language) -> Self {
        let config = Config::builder()
            .http_status_as_error(false)
            .proxy(None)
            .max_redirects(0)
            .input_buffer_size(BUFFER)
            .output_buffer_size(BUFFER)
            .middleware(InLanguage(language))
            .build();
        let agent = Agent::with_parts(config, OverUnix(socket.clone()), Nowhere);
        Self { socket, agent }
    }

    /// The process of the service (SO_PEERCRED, unix(7)).
    ///
    /// # Errors
    /// Nothing answers, or another user does.
    pub(crate) fn process(&self) -> Result<Pid, Failure> {
        let failed = |why: std::io::Error| self.failed(Error::Io(why));
        let stream = UnixStream::connect(&self.socket).map_err(failed)?;
        check_owner(&stream).map_err(failed)?;
        let peer = rustix::net::sockopt::socket_peercred(&stream);
        Ok(peer.map_err(|why| failed(why.into()))?.pid)
    }

    pub(crate) fn get<T: DeserializeOwned>(&self, path: &str) -> Result<T, Failure> {
        self.json(self.agent.get(url(path)).call())
    }

    /// What is found; a query that can't be read is a failure with what was expected.
    pub(crate) fn found(&self, path: &str) -> Result<Found, Failure> {
        let found: Found = self.get(path)?;
        let Some(expected) = found.expected else { return Ok(found) };
        Err(Failure::Answered(Box::new(Problem {
            kind: "invalid-query".into(),
            title: said!("The query can't be read"),
            status: 200,
            detail: expected.words,
            hint: Some(expected.hint),
            candidates: Vec::new(),
            at: Some(expected.at),
            questions: Vec::new(),
        })))
    }

    pub(crate) fn post<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T, Failure> {
        let body = serde_json::to_vec(body).map_err(|why| Failure::Connection(why.to_string()))?;
        self.json(self.agent.post(url(path)).content_type("application/json").send(&body[..]))
    }

    pub(crate) fn patch<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T, Failure> {
        let body = serde_json::to_vec(body).map_err(|why| Failure::Connection(why.to_string()))?;
        self.json(self.agent.patch(url(path)).content_type("application/json").send(&body[..]))
    }

    /// A call without body.
    pub(crate) fn post_empty<T: DeserializeOwned>(&self, path: &str) -> Result<T, Failure> {
        self.json(self.agent.post(url(path)).send_empty())
    }

    /// A call without body whose answer has none.
    pub(crate) fn post_nothing(&self, path: &str) -> Result<(), Failure> {
        self.checked(self.agent.post(url(path)).send_empty()).map(|_| ())
    }

    pub(crate) fn delete<T: DeserializeOwned>(&self, path: &str) -> Result<T, Failure> {
        self.json(self.agent.delete(url(path)).call())
    }

    /// A call whose answer has no body.
    pub(crate) fn delete_nothing(&self, path: &str) -> Result<(), Failure> {
        self.checked(self.agent.delete(url(path)).call()).map(|_| ())
    }

    /// The bytes of a file that is sent, to be read as they come, and the name of the transfer.
    pub(crate) fn download_named(&self, path: &str) -> Result<(impl Read + use<>, String), Failure> {
        let answer = self.checked(self.agent.get(url(path)).call())?;
        let name = answer.headers().get(TRANSFER).and_then(|name| name.to_str().ok());
        let name = name.unwrap_or_default().to_owned();
        Ok((answer.into_body().into_with_config().limit(u64::MAX).reader(), name))
    }

    /// The bytes of an answer, to be read as they come.
    pub(crate) fn download(&self, path: &str) -> Result<impl Read + use<>, Failure> {
        let answer = self.checked(self.agent.get(url(path)).call())?;
        Ok(answer.into_body().into_with_config().limit(u64::MAX).reader())
    }

    pub(crate) fn upload<T: DeserializeOwned>(&self, path: &str, mut from: impl Read) -> Result<T, Failure> {
        let request = self.agent.post(url(path)).content_type("application/x-tar");
        self.json(request.send(SendBody::from_reader(&mut from)))
    }

    /// Sends bytes, and gives the answer to be read as it comes.
    pub(crate) fn upload_lines(&self, path: &str, mut from: impl Read) -> Result<Box<dyn Read>, Failure> {
        let request = self.agent.post(url(path)).content_type("application/octet-stream");
        let answer = self.checked(request.send(SendBody::from_reader(&mut from)))?;
        Ok(Box::new(answer.into_body().into_with_config().limit(u64::MAX).reader()))
    }

    fn json<T: DeserializeOwned>(&self, answer: Result<Response<Body>, Error>) -> Result<T, Failure> {
        let answer = self.checked(answer)?;
        let reader = answer.into_body().into_with_config().limit(u64::MAX).reader();
        serde_json::from_reader(reader).map_err(|why| Failure::Connection(why.to_string()))
    }

    fn failed(&self, why: Error) -> Failure {
        match why {
            Error::Io(why) if is_absent(&why) => Failure::NotRunning(self.socket.clone()),
            Error::Io(why) if is_foreign(&why) => Failure::NotOwn(self.socket.clone()),
            why => Failure::Connection(why.to_string()),
        }
    }

    fn checked(&self, answer: Result<Response<Body>, Error>) -> Result<Response<Body>, Failure> {
        let answer = answer.map_err(|why| self.failed(why))?;
        if answer.status().is_success() {
            return Ok(answer);
        }
        let status = answer.status();
        let problem: Result<Problem, _> = serde_json::from_reader(answer.into_body().into_reader());
        Err(match problem {
            Ok(problem) => Failure::Answered(Box::new(problem)),
            Err(_) => Failure::Connection(said!("it answered {status}", status = status)),
        })
    }
}

fn is_absent(why: &std::io::Error) -> bool {
    matches!(why.kind(), ErrorKind::NotFound | ErrorKind::ConnectionRefused)
}

fn is_foreign(why: &std::io::Error) -> bool {
    why.get_ref().is_some_and(<dyn std::error::Error + Send + Sync>::is::<Foreign>)
}

/// Whoever answers is another user.
#[derive(Debug, thiserror::Error)]
#[error("{}", word!("another user answers there"))]
struct Foreign;

/// Whoever made the socket that was connected to must be this user, or root (SO_PEERCRED, unix(7)).
fn check_owner(stream: &UnixStream) -> std::io::Result<()> {
    let peer = rustix::net::sockopt::socket_peercred(stream)?.uid;
    if peer == rustix::process::geteuid() || peer.is_root() {
        Ok(())
    } else {
        Err(std::io::Error::new(ErrorKind::PermissionDenied, Foreign))
    }
}

fn url(path: &str) -> String {
    format!("http://yadori{ROOT}{path}")
}

/// A part of a path that a person typed (RFC 3986).
pub(crate) fn escaped(address: &str) -> String {
    utf8_percent_encode(address, NON_ALPHANUMERIC).to_string()
}

/// The same for a name that must not be empty.
pub(crate) fn segment(name: &str) -> Result<String, Failure> {
    if name.is_empty() {
        return Err(Failure::Use(said!(
            "an empty name names nothing; `yadori list` shows clips, `yadori drawer list` drawers"
        )));
    }
    Ok(escaped(name))
}

#[derive(Debug)]
struct OverUnix(PathBuf);

impl Connector<()> for OverUnix {
    type Out = Stream;

    fn connect(&self, details: &ConnectionDetails<'_>, _: Option<()>) -> Result<Option<Stream>, Error> {
        let stream = UnixStream::connect(&self.0)?;
        check_owner(&stream)?;
        let buffers =
            LazyBuffers::new(details.config.input_buffer_size(), details.config.output_buffer_size());
        Ok(Some(Stream { stream, buffers }))
    }
}

#[derive(Debug)]
struct Stream {
    stream: UnixStream,
    buffers: LazyBuffers,
}

fn limit(timeout: NextTimeout) -> Option<Duration> {
    timeout.not_zero().map(|timeout| *timeout)
}

impl Transport for Stream {
    fn buffers(&mut self) -> &mut dyn Buffers {
        &mut self.buffers
    }

    fn transmit_output(&mut self, amount: usize, timeout: NextTimeout) -> Result<(), Error> {
        self.stream.set_write_timeout(limit(timeout))?;
        match self.stream.write_all(&self.buffers.output()[..amount]) {
            // The service has answered without reading everything, and hung up: its answer says why.
            Err(why) if matches!(why.kind(), ErrorKind::BrokenPipe | ErrorKind::ConnectionReset) => Ok(()),
            written => Ok(written?),
        }
    }

    fn await_input(&mut self, timeout: NextTimeout) -> Result<bool, Error> {
        self.stream.set_read_timeout(limit(timeout))?;
        let input = self.buffers.input_append_buf();
        let amount = self.stream.read(input)?;
        self.buffers.input_appended(amount);
        Ok(amount > 0)
    }

    fn is_open(&mut self) -> bool {
        true
    }
}

/// There is nothing to resolve; the library wants an address all the same.
#[derive(Debug)]
struct Nowhere;

impl Resolver for Nowhere {
    fn resolve(&self, _: &Uri, _: &Config, _: NextTimeout) -> Result<ResolvedSocketAddrs, Error> {
        let mut out = self.empty();
        out.push(([127, 0, 0, 1], 9).into());
        Ok(out)
    }
}

/// Asks for answers in a language (RFC 9110, section 12.5.4).
struct InLanguage(Language);

impl ureq::middleware::Middleware for InLanguage {
    fn handle(
        &self,
        mut request: ureq::http::Request<SendBody<'_>>,
        next: ureq::middleware::MiddlewareNext<'_>,
    ) -> Result<Response<Body>, Error> {
        let language = ureq::http::HeaderValue::from_static(self.0.name());
        request.headers_mut().insert(ureq::http::header::ACCEPT_LANGUAGE, language);
        next.handle(request)
    }
}
