//! What every call may answer besides what it says itself: whatever stands around the calls refuses some, and any may fail.

use utoipa::openapi::path::{Operation, PathItem};
use utoipa::openapi::{ContentBuilder, OpenApi, Ref, RefOr, Response, ResponseBuilder};
use yadori_api::problem::PROBLEM_JSON;

/// The schema of a problem.
const PROBLEM: &str = "Problem";

/// By any call.
const ANY: [(&str, &str); 6] = [
    ("400", "The request can't be read, or contradicts itself"),
    ("401", "Not signed in"),
    ("403", "Not by this way, or asked by another page"),
    ("421", "This address does not belong to the service"),
    ("500", "It failed, by a mistake in the program or by damage"),
    ("503", "The records can't be used now"),
];
/// By calls with something in the path.
const NAMED: [(&str, &str); 2] =
    [("404", "There is no such thing"), ("409", "Several, or none at this time")];
/// By calls with something to be understood.
const ASKED: [(&str, &str); 1] = [("422", "What was asked makes no sense")];
/// By calls with a body.
const SENT: [(&str, &str); 2] = [("413", "It is too large"), ("415", "The body is not of this type")];
/// By calls that change something.
const CHANGING: [(&str, &str); 4] = [
    ("404", "There is no such thing"),
    ("409", "It can't be done now"),
    ("422", "What was asked makes no sense"),
    ("507", "There is no room for it"),
];

/// Completes the description of the interface.
pub(super) fn complete(all: &mut OpenApi) {
    for (path, item) in &mut all.paths.paths {
        let named = path.contains('{');
        for (operation, changing) in operations(item) {
            let mut more = ANY.to_vec();
            if named {
                more.extend(NAMED);
            }
            if operation.parameters.as_ref().is_some_and(|all| !all.is_empty()) {
                more.extend(ASKED);
            }
            if operation.request_body.is_some() {
                more.extend(SENT);
            }
            if changing {
                more.extend(CHANGING);
            }
            for (status, words) in more {
                let known = &mut operation.responses.responses;
                known.entry(status.to_owned()).or_insert_with(|| RefOr::T(problem(words)));
            }
            for response in operation.responses.responses.values_mut() {
                if let RefOr::T(response) = response {
                    with_its_own_type(response);
                }
            }
        }
    }
}

fn operations(item: &mut PathItem) -> impl Iterator<Item = (&mut Operation, bool)> {
    let PathItem { get, post, put, patch, delete, .. } = item;
    let changing = [post, put, patch, delete].into_iter().flatten().map(|one| (one, true));
    get.iter_mut().map(|one| (one, false)).chain(changing)
}

fn problem(words: &str) -> Response {
    let content = ContentBuilder::new().schema(Some(Ref::from_schema_name(PROBLEM))).build();
    ResponseBuilder::new().description(words).content(PROBLEM_JSON, content).build()
}

/// Problems are no plain JSON (RFC 9457, section 3).
fn with_its_own_type(response: &mut Response) {
    let own = RefOr::Ref(Ref::from_schema_name(PROBLEM));
    let plain = "application/json";
    let is_problem = matches!(response.content.get(plain), Some(RefOr::T(content)) if content.schema.as_ref() == Some(&own));
    if is_problem && let Some(content) = response.content.shift_remove(plain) {
        response.content.insert(PROBLEM_JSON.to_owned(), content);
    }
}
