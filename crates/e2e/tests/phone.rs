//! A phone in its browser: let in by a code, over TLS, to what is for phones alone; it takes to its own clipboard, adds, and is
//! signed out from the computer.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::Result;
use serde_json::{Value, json};
use thirtyfour::By;
use yadori_e2e::browser::Browser;
use yadori_e2e::{Service, until};

const LET_IN: &str = "[phone]\nlisten = \"127.0.0.1:0\"\n";

fn phones(service: &Service) -> Value {
    serde_json::from_str(&service.yadori(&["phone", "list", "--json"])).unwrap_or_default()
}

fn address(service: &Service) -> String {
    until("the phones' door", || phones(service)["address"].as_str().map(str::to_owned))
}

fn link(service: &Service) -> String {
    address(service);
    let link: Value = serde_json::from_str(&service.yadori(&["phone", "add", "--json"])).unwrap();
    link["url"].as_str().unwrap().to_owned()
}

/// The code and what was answered, by a client that trusts `authority` alone.
fn ask(authority: &Path, arguments: &[&str]) -> (u16, String) {
    let done = Command::new("curl")
        .args(["-sS", "--max-time", "20", "-w", "\n%{http_code}", "--cacert"])
        .arg(authority)
        .args(arguments)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    let (body, code) = said.rsplit_once('\n').unwrap_or_default();
    (code.parse().unwrap_or(0), body.to_owned())
}

/// Fetches the authority of the service, as a phone does that does not trust it yet; gives where it lies in PEM.
fn authority(address: &str, scratch: &Path) -> PathBuf {
    let (der, pem) = (scratch.join("root.crt"), scratch.join("root.pem"));
    let fetched =
        Command::new("curl").args(["-sSk", "-o"]).arg(&der).arg(format!("{address}/authority.crt")).status();
    assert!(fetched.unwrap().success());
    let made = Command::new("openssl")
        .args(["x509", "-inform", "der", "-in"])
        .arg(&der)
        .arg("-out")
        .arg(&pem)
        .status();
    assert!(made.unwrap().success());
    pem
}

#[test]
fn phones_are_let_in_where_that_is_switched_on_and_by_their_own_code_alone() {
    let closed = Service::without_desk();
    let refused = closed.client(&["phone", "add"]);
    assert!(!refused.status.success());
    let said = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(said.contains("under [phone]"), "{said}");
    assert!(closed.yadori(&["phone"]).contains("not let in"));

    let service = Service::configured(LET_IN);
    let address = address(&service);
    let scratch = tempfile::tempdir().unwrap();
    let root = authority(&address, scratch.path());
    // The fingerprint is the one that the phone will show.
    let shown = Command::new("openssl")
        .args(["x509", "-noout", "-fingerprint", "-sha256", "-in"])
        .arg(&root)
        .output()
        .unwrap();
    let shown =
        String::from_utf8_lossy(&shown.stdout).trim().rsplit('=').next().unwrap_or_default().to_owned();
    assert_eq!(phones(&service)["fingerprint"], json!(shown));
    // Whoever trusts the authority is not warned; without a key there is the page, and nothing else.
    assert_eq!(ask(&root, &[&address]).0, 200);
    for path in ["clips", "status", "settings", "phones"] {
        assert_eq!(ask(&root, &[&format!("{address}/api/v1/{path}")]).0, 401, "{path}");
    }
    // A link of the console opens nothing here, nor the key that it gives.
    let secret = |link: &str| link.split("#entry=").nth(1).unwrap().to_owned();
    let body = |secret: String| json!({ "entry": secret, "public": null }).to_string();
    let sign_in = format!("{address}/api/v1/sign-in");
    let json = "content-type: application/json";
    let console = secret(&service.sign_in_link());
    let (code, said) = ask(&root, &["-H", json, "-d", &body(console), &sign_in]);
    assert_eq!(code, 422, "{said}");
    let key = format!("authorization: Bearer {}", service.key());
    assert_eq!(ask(&root, &["-H", &key, &format!("{address}/api/v1/clips")]).0, 401);
    // And a phone's code opens nothing on this computer.
    let phone = secret(&link(&service));
    let here = format!("{}/api/v1/sign-in", service.address());
    assert_eq!(Service::curl(&["-H", json, "-d", &body(phone), &here]).0, 403);
    // The page of another site is not answered.
    let (code, _) = ask(
        &root,
        &["-H", "origin: https://example.org", &format!("{address}/api/v1/sign-in/proof"), "-d", ""],
    );
    assert_eq!(code, 403);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_phone_sees_searches_takes_adds_and_is_signed_out() -> Result<()> {
    let service = Service::configured(LET_IN);
    service.add(&["Rope: 40 m, from the upper hut", "Gas: 3 bottles"]);
    let phone = Browser::start(None).await?;
    phone.size(390, 844, true).await?;
    phone.touch(true).await?;
    let origin = address(&service);
    let permissions =
        json!({ "origin": origin, "permissions": ["clipboardReadWrite", "clipboardSanitizedWrite"] });
    phone.cdp("Browser.grantPermissions", permissions).await?;
    phone.driver.goto(link(&service)).await?;
    phone.until("return document.querySelector('#list[aria-busy=false]')").await?;
    phone.script("[...document.querySelectorAll('[data-welcome] button')].find((one) => one.textContent === 'Skip')?.click()").await?;
    // What is taken is on the phone's own clipboard.
    phone.until("return [...document.querySelectorAll('[data-row]')].some((one) => one.textContent.includes('Rope'))").await?;
    phone.tap("[aria-posinset='2'] .take").await?;
    phone
        .until(
            "return navigator.clipboard.readText().then((text) => text === 'Rope: 40 m, from the upper hut')",
        )
        .await?;
    // Typed there, it is the newest clip here.
    phone.tap(".bottom nav button").await?;
    phone.tap("[data-add] textarea").await?;
    phone.press("Two guests more for the lower hut").await?;
    phone.tap("[data-add] button[type=submit]").await?;
    until("the clip", || {
        (service.list(1).first()?.head == "Two guests more for the lower hut").then_some(())
    });
    phone.until("return !document.querySelector('[data-add]')").await?;
    // A picture.
    let scratch = tempfile::tempdir()?;
    let file = scratch.path().join("ridge.png");
    image::RgbImage::from_pixel(40, 30, image::Rgb([40, 80, 160])).save(&file)?;
    phone.tap(".bottom nav button").await?;
    let field = phone.driver.find(By::Css("[data-add] input[type=file]")).await?;
    field.send_keys(file.display().to_string()).await?;
    until("the picture", || (service.list(1).first()?.kind == yadori_api::Kind::Image).then_some(()));
    // What is the computer's is refused, by the service itself.
    let refused = "return fetch('/api/v1/settings', { headers: { authorization: `Bearer ${localStorage.getItem('yadori.key')}` } }).then((one) => one.status)";
    assert_eq!(phone.script(refused).await?, json!(403));
    // Only what the tests themselves asked for and the worker of an untrusted page went wrong.
    let wrong = phone.errors().await?;
    assert!(wrong.is_empty(), "{wrong:?}");
    // It stays signed in over a restart of the page, and not after it was signed out from the computer.
    phone.driver.refresh().await?;
    phone.until("return document.querySelector('#list[aria-busy=false]')").await?;
    let all = phones(&service);
    let id = all["phones"][0]["id"].as_str().unwrap().to_owned();
    service.yadori(&["phone", "remove", &id[..8]]);
    phone.until("return document.querySelector('[data-sign-in]')").await?;
    assert_eq!(phones(&service)["phones"], json!([]));
    Ok(())
}

/// A home in which this authority is trusted, as on a phone on which it was installed.
fn trusting(root: &Path, scratch: &Path) -> PathBuf {
    let home = scratch.join("phone");
    let trusted = home.join(".pki/nssdb");
    std::fs::create_dir_all(&trusted).unwrap();
    let certutil = |arguments: &[&str]| {
        let mut command = Command::new("certutil");
        command.arg("-d").arg(format!("sql:{}", trusted.display())).args(arguments);
        assert!(command.status().unwrap().success(), "certutil (Debian package libnss3-tools)");
    };
    certutil(&["-N", "--empty-password"]);
    certutil(&["-A", "-t", "C,,", "-n", "Yadori", "-i", &root.display().to_string()]);
    home
}

#[tokio::test(flavor = "multi_thread")]
async fn on_a_phone_that_trusts_the_computer_other_programs_share_to_it() -> Result<()> {
    let service = Service::configured(LET_IN);
    let origin = address(&service);
    let scratch = tempfile::tempdir()?;
    let root = authority(&origin, scratch.path());
    let phone = Browser::at_home(&trusting(&root, scratch.path())).await?;
    phone.size(390, 844, true).await?;
    // No warning stands before it.
    phone.driver.goto(link(&service)).await?;
    phone.until("return document.querySelector('#list[aria-busy=false]')").await?;
    phone
        .until("return navigator.serviceWorker.ready.then(() => navigator.serviceWorker.controller !== null)")
        .await?;
    let manifest = phone.cdp("Page.getAppManifest", json!({})).await?;
    assert_eq!(manifest["errors"], json!([]));
    let wrong = phone.cdp("Page.getInstallabilityErrors", json!({})).await?;
    assert_eq!(wrong["installabilityErrors"], json!([]), "it can be put on the home screen");
    // Another program shares a text and a picture: what a phone makes of that is this form.
    let file = scratch.path().join("ridge.png");
    image::RgbImage::from_pixel(40, 30, image::Rgb([40, 80, 160])).save(&file)?;
    let form = format!(
        "data:text/html,<form method=post enctype=multipart/form-data action={origin}/share><input name=title value=Huts>\
         <input name=text value='Upper hut, 17:40'><input name=link value=''><input type=file name=files><button>Share</button></form>"
    );
    phone.driver.goto(form).await?;
    phone.driver.find(By::Css("input[type=file]")).await?.send_keys(file.display().to_string()).await?;
    phone.driver.find(By::Css("button")).await?.click().await?;
    until("what was shared", || {
        let all = service.list(9);
        let text = all.iter().any(|row| row.head == "Upper hut, 17:40");
        let picture = all.iter().any(|row| row.kind == yadori_api::Kind::Image);
        (text && picture && all.len() == 2).then_some(())
    });
    // Once: a page that is opened again shares nothing.
    phone.driver.refresh().await?;
    phone.until("return document.querySelectorAll('[data-row]').length === 2").await?;
    assert_eq!(service.list(9).len(), 2);
    Ok(())
}
