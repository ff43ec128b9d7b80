//! Real programs with keys, where their own ways would be hurt or would hurt: an office program, an editor, a file manager,
//! a password manager.

use anyhow::Result;
use yadori_e2e::desktop::programs::{From, Into, Programs, body_of};
use yadori_e2e::{Service, until};

/// What copying in a document leaves in it, as far as there is something to save then.
fn saved_after_copying(programs: &mut Programs, from: From, file: &str) -> Result<Option<String>> {
    programs.copy(from)?;
    let path = programs.desktop.path(file);
    let before = std::fs::read(&path)?;
    programs.desktop.press(&["ctrl+s"])?;
    Ok(programs.desktop.changed(&path, &before).map(|bytes| body_of(&String::from_utf8_lossy(&bytes))))
}

#[test]
fn a_document_is_not_changed_by_being_copied_from() -> Result<()> {
    let mut outcomes = Vec::new();
    for with_us in [false, true] {
        let mut programs = Programs::start()?;
        let service = with_us.then(|| service_on(&programs));
        let mut saved = Vec::new();
        for (from, file, head) in [
            (From::Writer, "source-writer.fodt", "Opening hours"),
            (From::Calc, "source-calc.fods", "Hut\tBunks"),
        ] {
            // Once so that it was saved by the program itself, and once more.
            saved_after_copying(&mut programs, from, file)?;
            if let Some(service) = &service {
                service.await_clip(head);
            }
            programs.desktop.display.copy_text(&format!("between {file}"));
            saved.push(saved_after_copying(&mut programs, from, file)?);
        }
        outcomes.push(saved);
    }
    assert_eq!(outcomes[0], outcomes[1], "without and with us");
    Ok(())
}

fn service_on(programs: &Programs) -> Service {
    Service::on(&programs.desktop.display.name())
}

#[test]
fn in_an_office_program_a_take_is_pasted_and_its_documents_stay_as_they_are() -> Result<()> {
    let mut programs = Programs::start()?;
    let service = service_on(&programs);
    programs.copy(From::Writer)?;
    let first = service.await_clip("Opening hours");
    assert_eq!(first.source.program.as_deref().map(str::to_lowercase).as_deref(), Some("libreoffice-writer"));
    // The program itself copies something else, which it would take for what is on the clipboard.
    programs.copy(From::Calc)?;
    let cells = service.await_clip("Hut\tBunks");
    assert!(cells.formatted);
    service.yadori(&["take", &first.prefix]);
    let pasted = programs.paste(Into::Writer)?;
    assert!(pasted.contains("Opening hours") && !pasted.contains("Kestrel"), "{pasted}");
    let pasted = programs.paste(Into::Calc)?;
    assert!(pasted.contains("Opening hours") && !pasted.contains("Kestrel"), "{pasted}");
    service.yadori(&["take", &cells.prefix]);
    let pasted = programs.paste(Into::Calc)?;
    assert!(pasted.contains("Kestrel") && pasted.contains("14"), "{pasted}");
    Ok(())
}

#[test]
fn an_editors_text_is_one_clip_with_its_own_line_ends_also_once_it_is_closed() -> Result<()> {
    let mut programs = Programs::start()?;
    let service = service_on(&programs);
    programs.copy(From::Mousepad)?;
    let clip = service.await_clip("Kestrel Hut");
    let text = "Kestrel Hut\n14 bunks, två kök\n";
    programs.desktop.press(&["ctrl+q"])?;
    until("the editor to close", || programs.desktop.keyboard.windows().ok()?.is_empty().then_some(()));
    let display = &mut programs.desktop.display;
    until("the text of the closed editor", || (display.paste_text()? == text).then_some(()));
    let by_mime_type =
        || display.paste("text/plain;charset=utf-8").map(|bytes| String::from_utf8(bytes).unwrap());
    until("its other line ends", || (by_mime_type()? == text.replace('\n', "\r\n")).then_some(()));
    display.copy_text(text);
    until("the same clip", || service.list(1).into_iter().find(|row| row.id == clip.id && row.copies >= 2));
    Ok(())
}

#[test]
fn a_file_managers_cut_moves_and_a_take_of_it_copies() -> Result<()> {
    let mut programs = Programs::start()?;
    let service = service_on(&programs);
    programs.cut_files()?;
    let clip =
        until("the files", || service.list(1).into_iter().find(|row| row.saved && row.file_count == 2));
    assert_eq!(programs.paste(Into::Folder)?, "permit.txt, route map.txt");
    let folder = programs.desktop.path("files-to-copy");
    let there = || std::fs::read_dir(&folder).map_or(0, std::iter::Iterator::count);
    until("the files to be gone from where they were cut", || (there() == 0).then_some(()));
    // The same files once more, cut and then taken: they are copied.
    std::fs::write(folder.join("permit.txt"), "permit 12")?;
    std::fs::write(folder.join("route map.txt"), "route")?;
    programs.cut_files()?;
    until("the second cut", || service.list(1).into_iter().find(|row| row.id == clip.id && row.copies >= 2));
    service.yadori(&["take", &clip.prefix]);
    assert_eq!(programs.paste(Into::Folder)?, "permit.txt, route map.txt");
    assert_eq!(there(), 2, "a take never moves files");
    Ok(())
}

#[test]
fn a_password_managers_copy_leaves_no_trace_and_it_closes_as_fast_as_without_us() -> Result<()> {
    let mut programs = Programs::start()?;
    let service = service_on(&programs);
    let secret = programs.copy_password()?;
    assert_eq!(
        programs.desktop.display.paste_text().as_deref(),
        Some(secret.as_str()),
        "it is on the clipboard"
    );
    let took = programs.quit_last()?;
    // What it takes beside a running service and without one is measured by `make programs`.
    assert!(took.as_secs_f64() < 1.7, "{took:?}: it waited to be told that its copy is safe");
    programs.desktop.display.copy_text("after it");
    service.await_clip("after it");
    assert_eq!(service.list(10).len(), 1);
    let status = service.status().expect("a status");
    assert!(status.refusals.is_empty(), "{:?}", status.refusals);
    assert!(yadori_e2e::traces::in_memory(service.pid(), &secret).is_empty());
    assert!(yadori_e2e::traces::in_files(service.home(), &secret).is_empty());
    Ok(())
}

#[test]
fn a_batch_is_handed_out_into_cells_and_editors_of_real_programs_by_a_chord() -> Result<()> {
    let mut programs = Programs::start()?;
    let service = service_on(&programs);
    until("the chords", || (!service.yadori(&["chords"]).contains("not heard")).then_some(()));
    let texts = ["Hanna Quist", "14 May", "Tern Hut", "zwei Nächte"];
    let begin = |after: &str, record: &str| {
        let text = format!("{}\t{}\n{}\t{}", texts[0], texts[1], texts[2], texts[3]);
        service.yadori(&[
            "batch",
            "new",
            "--text",
            &text,
            "--split",
            "cells",
            "--after",
            after,
            "--after-record",
            record,
        ]);
    };
    let handed = || service.status().and_then(|status| status.batch).map_or(0, |batch| batch.handed);
    let press = |programs: &Programs| -> Result<()> {
        for n in 1..=4 {
            programs.desktop.keyboard.press("ctrl+alt+n")?;
            until("the item", || (handed() == n).then_some(()));
        }
        // One after another: this is refused once the last one is wholly pasted.
        let refused = service.client(&["batch", "next"]);
        anyhow::ensure!(!refused.status.success(), "more than four were handed out");
        Ok(())
    };
    // Cells: Tab after each, Enter after each row, which leads below the first of it.
    begin("tab", "enter");
    let saved = programs.fill(Into::Calc, press)?;
    let rows: Vec<&str> = texts.iter().map(|text| text.trim()).collect();
    assert!(rows.windows(2).all(|pair| saved.find(pair[0]) < saved.find(pair[1])), "{saved}");
    assert!(rows.iter().all(|text| saved.contains(text)), "{saved}");
    // Editors of both toolkits: Enter after each.
    for into in [Into::Mousepad, Into::Featherpad] {
        begin("enter", "enter");
        let saved = programs.fill(into, press)?;
        assert_eq!(saved.lines().collect::<Vec<_>>(), texts, "{into:?}");
    }
    Ok(())
}
