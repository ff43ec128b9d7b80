//! Copied html, shown in a sandboxed frame alone: no scripts, no forms, no remote loads, an origin of its own. The frame
//! can't carry a key, so it comes with a ticket that is good once.
//!
//! The policy alone would let the browser open connections ahead of loads that it then refuses, by which a copied page
//! could learn that it is being looked at. So whatever could point elsewhere is taken out before.

use std::collections::HashSet;
use std::sync::{Arc, LazyLock};

use axum::extract::State;
use axum::http::{HeaderName, StatusCode, header};
use axum::response::IntoResponse;
use yadori_api::{Frame, Problem};
use yadori_core::clip::mime;

use super::address::resolve_open as resolve;
use crate::http::extract::Path;
use crate::http::{Context, Failure};

/// What a frame with copied html may do: look.
const POLICY: &str = "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:; form-action 'none'; \
                      base-uri 'none'; frame-ancestors 'self'";

/// Leaves words, structure and looks; takes out scripts, forms, frames and every address but `data:` ones.
static HARMLESS: LazyLock<ammonia::Builder<'static>> = LazyLock::new(|| {
    let mut builder = ammonia::Builder::default();
    builder
        .add_tags(["font", "u", "big"])
        .add_generic_attributes(["style", "align", "valign", "bgcolor", "color", "face", "size", "dir"])
        .filter_style_properties(HashSet::from([
            "color",
            "background-color",
            "font",
            "font-family",
            "font-size",
            "font-style",
            "font-weight",
            "text-align",
            "text-decoration",
            "vertical-align",
            "white-space",
            "margin",
            "margin-left",
            "padding",
            "border",
            "border-collapse",
            "width",
            "height",
            "list-style-type",
        ]))
        .url_schemes(HashSet::from(["data"]))
        .url_relative(ammonia::UrlRelative::Deny);
    builder
});

/// Make a ticket for a frame with a clip's html
#[utoipa::path(post, path = "/clips/{address}/frame", params(("address" = String, Path)),
    responses((status = 200, body = Frame), (status = 404, body = Problem)))]
pub(crate) async fn new_frame(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Frame>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let has_html = clip
        .state
        .offer()
        .is_some_and(|offer| offer.representations.iter().any(|one| mime::base(&one.mime) == mime::HTML));
    if !has_html {
        return Err(no_html());
    }
    let ticket = context.app.entries.new_frame(clip.id)?;
    Ok(axum::Json(Frame { path: format!("/framed/{ticket}") }))
}

pub(crate) async fn framed(
    State(context): State<Arc<Context>>,
    Path(ticket): Path<String>,
) -> Result<impl IntoResponse, Failure> {
    let id = context.app.entries.frame(&ticket).ok_or_else(no_html)?;
    let clip = context.app.clips.get(id).ok_or_else(no_html)?;
    let record = clip
        .state
        .offer()
        .and_then(|offer| offer.representations.iter().find(|one| mime::base(&one.mime) == mime::HTML));
    let content = context.app.at_hand.content(record.ok_or_else(no_html)?.digest).await?;
    let html = String::from_utf8_lossy(content.expose()).into_owned();
    let html = HARMLESS.clean(&html).to_string();
    // The page's own look, under whatever the copy brings.
    let page = format!(
        "<!doctype html><meta charset=utf-8><style>html{{font:13px/1.5 system-ui,sans-serif;color:#222;background:#fff}}\
         body{{margin:8px;overflow-wrap:anywhere}}table{{border-collapse:collapse}}td,th{{border:1px solid #ccc;padding:2px 6px}}\
         img{{max-width:100%}}</style>{html}"
    );
    let headers = [
        (header::CONTENT_TYPE, "text/html; charset=utf-8"),
        (header::CONTENT_SECURITY_POLICY, POLICY),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    ];
    Ok((headers, page))
}

fn no_html() -> Failure {
    Failure::new(
        StatusCode::NOT_FOUND,
        "no-html",
        "No formatted form",
        "this clip has no html, or its ticket was used",
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_could_point_elsewhere_is_taken_out_and_looks_stay() {
        let html = "<p style=\"color:red;background:url(http://a.example/x)\">Bunks <b>8</b></p><script>x()</script>\
                    <img src=http://a.example/p><img src=\"data:image/png;base64,AA==\"><meta http-equiv=refresh \
                    content='0;url=http://a.example'><a href=http://a.example onclick=x()>there</a><link rel=preconnect href=//a.example>";
        let clean = HARMLESS.clean(html).to_string();
        assert!(
            !clean.contains("a.example") && !clean.contains("script") && !clean.contains("onclick"),
            "{clean}"
        );
        assert!(
            clean.contains("color:red") && clean.contains("<b>8</b>") && clean.contains("data:image/png"),
            "{clean}"
        );
    }
}
