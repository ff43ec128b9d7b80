//! A clip on its way out in another shape: the paths or names of its files, its picture in another encoding or the words read
//! from it, its own words as Markdown, what an earlier copy offered.

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use yadori_api::{Shape, Take};
use yadori_core::clip::facts::{path_of, uri_of};
use yadori_core::clip::mime::extension;
use yadori_core::clip::reading::{file_uris, html_of, plain_form, primary_image};
use yadori_core::{Clip, Kind, Offer, Representation};

use crate::pictures::other::{Encoding, converted};
use crate::pictures::reading::pictured;
use crate::state::app::App;
use crate::state::files::name_of;
use crate::take::error::TakeError;

/// How long looking for files may take: they may be on a disk that does not answer.
const LOOKING: Duration = Duration::from_millis(400);

/// The offer that is meant: the one that is shown, or an earlier one (from 1).
///
/// # Errors
/// There is no such one, or it can't be read.
pub async fn meant(app: &App, clip: &Clip, earlier: Option<u32>) -> Result<Offer, TakeError> {
    let Some(earlier) = earlier.filter(|earlier| *earlier > 0) else {
        return Ok(app.at_hand.offer(clip).await?);
    };
    let offers = clip.state.shown_offers();
    let there = offers.len().saturating_sub(1);
    let one = usize::try_from(earlier)
        .ok()
        .and_then(|at| offers.get(at))
        .ok_or(TakeError::NoEarlier(earlier, there))?;
    Ok(app.at_hand.offer_of(&one.value, clip.copied_at()).await?)
}

/// An offer in the shape that is wanted.
///
/// # Errors
/// It can't have that shape.
pub async fn shaped(app: &App, clip: &Clip, offer: Offer, wanted: &Take) -> Result<Offer, TakeError> {
    let text = |text: String| Offer { source: offer.source.clone(), ..Offer::text(text, offer.at) };
    match wanted.shape {
        None if wanted.most.is_some() => Err(TakeError::MostOfWhat),
        None => Ok(offer),
        Some(shape @ (Shape::Paths | Shape::Names)) => {
            let uris = file_uris(&offer).ok_or(TakeError::NoFiles)?;
            let lines: Vec<String> = uris
                .into_iter()
                .map(|uri| {
                    let path = path_of(&uri).unwrap_or(uri);
                    let name = Path::new(&path).file_name().map(|name| name.to_string_lossy().into_owned());
                    if shape == Shape::Names { name.unwrap_or(path) } else { path }
                })
                .collect();
            Ok(text(lines.join("\n")))
        }
        Some(Shape::Words) => {
            let read = pictured(app, clip).await.filter(|read| !read.words.is_empty());
            Ok(text(read.ok_or(TakeError::NoWords)?.text()))
        }
        Some(Shape::Markdown) => {
            let title = clip.state.title();
            let plain = plain_form(&offer).ok_or(TakeError::NoPlainForm)?;
            let html = html_of(&offer);
            Ok(text(match (clip.facts.kind(), html) {
                (Kind::Link, _) => link(title, plain.trim()),
                (_, Some(html)) => markdown(html).await.unwrap_or(plain),
                (_, None) => plain,
            }))
        }
        Some(Shape::File) if clip.is_secret() => Err(TakeError::Masked),
        Some(Shape::File) => {
            let image = primary_image(&offer).ok_or(TakeError::NoPicture)?;
            let name = name_of(clip.state.title(), extension(&image.mime));
            let (files, id, content) =
                (app.files.get().cloned().unwrap_or_default(), clip.id, image.content.clone());
            let put = tokio::task::spawn_blocking(move || files.put(id, &name, content.expose())).await;
            let path = put.map_err(|_| TakeError::NoPicture)?.map_err(TakeError::NoFile)?;
            let list = format!("{}\r\n", uri_of(&path.to_string_lossy()));
            let representations = vec![Representation::new("text/uri-list", list.into_bytes())];
            Ok(Offer { representations, also: Vec::new(), ..offer })
        }
        Some(shape @ (Shape::Png | Shape::Jpeg)) => {
            let to = if shape == Shape::Png { Encoding::Png } else { Encoding::Jpeg };
            let image = primary_image(&offer).ok_or(TakeError::NoPicture)?.content.clone();
            let most = wanted.most;
            let made = tokio::task::spawn_blocking(move || converted(&image, to, most)).await;
            let made = made.map_err(|_| TakeError::NoPicture)?.map_err(TakeError::Picture)?;
            let representations = vec![Representation::new(to.mime(), made)];
            Ok(Offer { representations, also: Vec::new(), ..offer })
        }
    }
}

/// A link as Markdown (CommonMark 6.3): with its title, or with itself as its words.
fn link(title: Option<&str>, address: &str) -> String {
    let words: String = title
        .unwrap_or(address)
        .chars()
        .flat_map(|letter| matches!(letter, '[' | ']' | '\\').then_some('\\').into_iter().chain([letter]))
        .collect();
    if title.is_none() { format!("<{address}>") } else { format!("[{words}](<{address}>)") }
}

async fn markdown(html: String) -> Option<String> {
    let made = tokio::task::spawn_blocking(move || {
        let skipped = vec!["script", "style", "title", "head"];
        htmd::HtmlToMarkdown::builder().skip_tags(skipped).build().convert(&html).ok()
    });
    made.await.ok().flatten().map(|text| text.trim().to_owned())
}

/// Files of a clip that are not there any more: of the first ones, as far as that can be found out at once.
pub async fn missing_files(clip: &Arc<Clip>) -> Vec<String> {
    let paths: Vec<String> = clip.facts.files.iter().filter_map(|uri| path_of(uri)).collect();
    if paths.is_empty() {
        return paths;
    }
    let looking = tokio::task::spawn_blocking(move || {
        let is_gone = |path: &String| matches!(Path::new(path).try_exists(), Ok(false));
        paths.into_iter().filter(is_gone).collect()
    });
    match tokio::time::timeout(LOOKING, looking).await {
        Ok(Ok(gone)) => gone,
        Ok(Err(_)) | Err(_) => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn html_and_links_become_markdown() {
        let html = "<title>x</title><h2>Kestrel Hut</h2><ul><li>14 <b>bunks</b></li><li><a href=\"https://example.org/a\">map</a></li></ul><script>x()</script>";
        let made = markdown(html.to_owned()).await.unwrap();
        assert!(
            made.starts_with("## Kestrel Hut")
                && made.contains("**bunks**")
                && made.contains("[map](https://example.org/a)"),
            "{made}"
        );
        assert!(!made.contains("x()"), "{made}");
        assert_eq!(link(Some("a [b]"), "https://example.org/(x)"), "[a \\[b\\]](<https://example.org/(x)>)");
        assert_eq!(link(None, "https://example.org/"), "<https://example.org/>");
    }
}
