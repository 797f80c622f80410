//! What comes after the pulls: threads over a distance, sign-offs, slips, customers, and what is attached.

use super::{at, map};
use crate::shop::{Server, by, commit, day, new_set, new_vehicle, note, slip};
use chrono::NaiveDate;
use jamjar_store::{Attached, Contact, NewAttachment, NewStep, StepKind, StoreError, Subject};
use std::io::Cursor;

fn on(day: u32) -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 3, day).unwrap()
}

fn step(kind: StepKind, words: &str) -> NewStep {
    NewStep {
        uid: None,
        kind,
        by: "the calibrator".into(),
        at: None,
        words: words.into(),
        map_id: None,
        files: vec![],
        channel: None,
        at_s: None,
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn steps_of_a_thread_are_written_all_or_none_and_never_twice() {
    let (_server, store) = Server::start("thread").await;
    let vehicle = store.day(day(&store).await).await.unwrap().vehicle_id;
    let other = store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap();
    let own = store.put_map(vehicle, &map("C1", None), Cursor::new(b"one")).await.unwrap();
    let foreign = store.put_map(other, &map("C2", None), Cursor::new(b"two")).await.unwrap();
    let came = ("0123456789abcdef0123456789abcdef".to_owned(), on(2).and_time(at(9)));
    let id = store.open_thread(vehicle, "rich at tip-in", Some(&came), &by()).await.unwrap();
    assert_eq!(
        store.open_thread(vehicle, "again", Some(&came), &by()).await.unwrap(),
        id,
        "it is here already"
    );
    let elsewhere = store.open_thread(other, "again", Some(&came), &by()).await;
    assert!(matches!(elsewhere, Err(StoreError::Refused(_))), "{elsewhere:?}");
    assert_eq!(store.thread(id).await.unwrap().0.title, "rich at tip-in");

    let first = NewStep { map_id: Some(own), ..step(StepKind::Revision, "try this") };
    let wrong = NewStep { map_id: Some(foreign), ..step(StepKind::Revision, "and this") };
    let half = store.add_steps(id, &[first.clone(), wrong]).await;
    assert!(matches!(half, Err(StoreError::Refused(_))), "{half:?}");
    assert!(store.thread(id).await.unwrap().1.is_empty(), "the first was not written either");
    let named = NewStep { uid: Some("f".repeat(32)), at: Some(on(3).and_time(at(8))), ..first };
    let late = NewStep { at: Some(on(2).and_time(at(8))), ..step(StepKind::Word, "before that") };
    assert_eq!(store.add_steps(id, &[named.clone(), late]).await.unwrap(), 2);
    assert_eq!(store.add_steps(id, &[named]).await.unwrap(), 0, "what is here stays as it is");
    let (_, steps) = store.thread(id).await.unwrap();
    assert_eq!(steps.iter().map(|s| s.words.as_str()).collect::<Vec<_>>(), ["before that", "try this"]);
    assert_eq!(steps[1].map, Some((own, "C1".into())));
    assert!(matches!(store.add_steps(999, &[]).await, Err(StoreError::NotFound { what: "thread", .. })));

    store.close_thread(id, true, &by()).await.unwrap();
    assert!(store.thread(id).await.unwrap().0.closed_at.is_some());
    store.close_thread(id, false, &by()).await.unwrap();
    let threads = store.threads(Some(vehicle)).await.unwrap();
    assert!(threads.len() == 1 && threads[0].closed_at.is_none());
    assert!(store.threads(Some(other)).await.unwrap().is_empty());
    let said = store.trail(Subject::Vehicle(vehicle)).await.unwrap();
    let said: Vec<&str> = said.iter().filter(|t| t.field == "thread").map(|t| t.new_value.as_str()).collect();
    assert_eq!(said, ["open again", "closed", "rich at tip-in"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn remarks_stand_at_the_recording_they_were_made_on() {
    let (_server, store) = Server::start("remark").await;
    let day_id = day(&store).await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let (a, b) = (crate::file(&store, 1).await, crate::file(&store, 2).await);
    let sets = commit(&store, day_id, &[new_set(a, 2), new_set(b, 1)], &[], None).await.unwrap();
    let sha = async |id: i64| store.file(id).await.unwrap().sha256;
    let (of_a, of_b) = (sha(a).await, sha(b).await);
    let thread = store.open_thread(vehicle, "knock", None, &by()).await.unwrap();
    let remark = |files: Vec<String>, words: &str| NewStep {
        files,
        channel: Some("knock_retard".into()),
        at_s: Some(4.2),
        ..step(StepKind::Remark, words)
    };
    let steps = [
        remark(vec![of_a.clone()], "here"),
        remark(vec![of_b.clone(), of_a.clone()], "in both"),
        NewStep { files: vec![of_a.clone()], ..step(StepKind::Recordings, "sent") },
    ];
    store.add_steps(thread, &steps).await.unwrap();
    let words = async |sha: &str| {
        let all = store.remarks_on(vehicle, sha).await.unwrap();
        all.into_iter().map(|(_, s)| s.words).collect::<Vec<_>>()
    };
    assert_eq!(words(&of_a).await, ["here", "in both"]);
    assert_eq!(words(&of_b).await, ["in both"]);
    let known = store.files_called(&[of_a.clone(), "00".repeat(32), "no hash".into()]).await.unwrap();
    assert_eq!(known.into_iter().collect::<Vec<_>>(), [(of_a, a)]);
    let pull = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    store.archive(&[Subject::Pull(pull)], &by()).await.unwrap();
    let held = store.pulls_on(vehicle, &[a, b]).await.unwrap();
    assert_eq!((held[&a].len(), held[&b].len()), (1, 1), "what is archived is not shown");
    assert_eq!((held[&a][0].set_id, held[&b][0].set_id), (sets[0], sets[1]));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_signed_stands_with_the_file_it_was_signed_for() {
    let (_server, store) = Server::start("signed").await;
    let vehicle = store.day(day(&store).await).await.unwrap().vehicle_id;
    let fuel = store.put_fuel("E5", Some(0.05)).await.unwrap();
    let bare = store.put_map(vehicle, &map("C1", None), Cursor::new(b"one")).await.unwrap();
    let answer = async |given: &[(&str, Option<&str>)], sign: bool| {
        store.answer_sign_off(vehicle, (bare, fuel), given, sign, (on(4), &by())).await.unwrap()
    };
    let open = answer(&[("idle", Some("yes"))], false).await;
    assert_eq!(answer(&[("hot start", Some("no"))], false).await, open, "one sign-off while it is open");
    assert_eq!(answer(&[("hot start", None), ("cruise", Some("yes"))], true).await, open);
    let all = store.sign_offs(vehicle).await.unwrap();
    assert_eq!(all[0].answers.keys().map(String::as_str).collect::<Vec<_>>(), ["cruise", "idle"]);
    let file = store.maps(vehicle).await.unwrap()[0].file.as_ref().unwrap().sha256.clone();
    assert_eq!((all[0].signed.is_some(), all[0].file.as_ref()), (true, Some(&file)));
    let next = answer(&[("idle", Some("no"))], false).await;
    assert_ne!(next, open, "a new one begins with its answers");
    let all = store.sign_offs(vehicle).await.unwrap();
    assert_eq!(
        (all.len(), all[0].answers["idle"].as_str(), all[1].answers["idle"].as_str()),
        (2, "no", "yes")
    );
    assert!(all[0].signed.is_none() && all[0].answers.contains_key("cruise"));
    let foreign = store
        .answer_sign_off(
            store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap(),
            (bare, fuel),
            &[],
            true,
            (on(4), &by()),
        )
        .await;
    assert!(matches!(foreign, Err(StoreError::Refused(_))), "{foreign:?}");
    let none = store.answer_sign_off(vehicle, (bare, 999), &[], true, (on(4), &by())).await;
    assert!(matches!(none, Err(StoreError::NotFound { what: "fuel", .. })), "{none:?}");
    // Six who sign at once sign one after the other, each what the one before left.
    let at_once: Vec<_> = (0..6)
        .map(|i| {
            let store = store.clone();
            tokio::spawn(async move {
                let item = format!("item {i}");
                let given = [(item.as_str(), Some("yes"))];
                store.answer_sign_off(vehicle, (bare, fuel), &given, true, (on(4), &by())).await
            })
        })
        .collect();
    for one in at_once {
        one.await.unwrap().unwrap();
    }
    let newest = store.sign_offs(vehicle).await.unwrap().remove(0);
    let items = newest.answers.keys().filter(|k| k.starts_with("item")).count();
    assert_eq!(items, 6, "no answer is lost: {:?}", newest.answers);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_slip_says_something_and_a_customer_is_of_one_vehicle() {
    let (_server, store) = Server::start("slips").await;
    let vehicle = store.day(day(&store).await).await.unwrap().vehicle_id;
    let other = store.add_vehicle(&new_vehicle("Marrow 48")).await.unwrap();
    assert!(matches!(store.add_slip(vehicle, &slip(None, 3), &by()).await, Err(StoreError::Check)));
    assert!(matches!(store.add_slip(vehicle, &slip(Some(-1.0), 3), &by()).await, Err(StoreError::Check)));
    for (t, d) in [(12.9, 3), (12.7, 5), (13.0, 4)] {
        store.add_slip(vehicle, &slip(Some(t), d), &by()).await.unwrap();
    }
    let all = store.slips(vehicle).await.unwrap();
    assert_eq!(all.iter().map(|s| s.t402_s.unwrap()).collect::<Vec<_>>(), [12.7, 13.0, 12.9], "newest first");
    let id = all[0].id.unwrap();
    assert!(matches!(store.take_slip_off(other, id, &by()).await, Err(StoreError::NotFound { .. })));
    store.take_slip_off(vehicle, id, &by()).await.unwrap();
    assert!(matches!(store.take_slip_off(vehicle, id, &by()).await, Err(StoreError::NotFound { .. })));
    assert_eq!(store.slips(vehicle).await.unwrap().len(), 2);

    let owner = Contact { name: "the owner".into(), reached: "by mail".into(), note: String::new() };
    store.set_contact(vehicle, &owner, &by()).await.unwrap();
    store.set_contact(vehicle, &owner, &by()).await.unwrap();
    assert_eq!(store.contact(vehicle).await.unwrap(), owner);
    assert_eq!(store.contact(other).await.unwrap(), Contact::default());
    store.set_contact(vehicle, &Contact::default(), &by()).await.unwrap();
    let trail = store.trail(Subject::Vehicle(vehicle)).await.unwrap();
    let said: Vec<_> = trail.iter().filter(|t| t.field == "customer").collect();
    assert_eq!(said.len(), 2, "the same again is no change");
    assert_eq!((said[0].old_value.as_str(), said[0].new_value.as_str()), ("the owner; by mail", ""));
    assert!(matches!(store.set_contact(999, &owner, &by()).await, Err(StoreError::NotFound { .. })));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_attached_is_found_at_its_thing_and_on_its_day_and_its_bytes_stay() {
    let (_server, store) = Server::start("attached").await;
    let day_id = day(&store).await;
    let vehicle = store.day(day_id).await.unwrap().vehicle_id;
    let file = crate::file(&store, 1).await;
    let set = commit(&store, day_id, &[new_set(file, 1)], &[], None).await.unwrap()[0];
    let pull = store.sets_of_day(day_id).await.unwrap()[0].pulls[0].0.id;
    store.add_note(day_id, &note(None, "smoke", "grey", "the calibrator")).await.unwrap();
    let said = store.day_sheet(day_id).await.unwrap().notes[0].id;
    let things = [
        Attached::Day(day_id),
        Attached::Note(said),
        Attached::Set(set),
        Attached::Pull(pull),
        Attached::Vehicle(vehicle),
    ];
    for (i, to) in things.into_iter().enumerate() {
        let photo = NewAttachment {
            name: format!("{i}.png"),
            media: "image/png".into(),
            by: "the apprentice".into(),
            bytes: vec![i as u8; 50],
        };
        let id = store.attach(to, &photo).await.unwrap();
        let a = store.attachment(id).await.unwrap();
        assert_eq!((a.to(), a.bytes, a.name), (Some(to), 50, format!("{i}.png")));
        assert_eq!(store.attached(to).await.unwrap().len(), 1);
        assert!(matches!(
            store.attach(Attached::of(to.parts().0, 999).unwrap(), &photo).await,
            Err(StoreError::NotFound { .. })
        ));
    }
    let names: Vec<String> =
        store.attached_on_day(day_id).await.unwrap().into_iter().map(|a| a.name).collect();
    assert_eq!(names, ["0.png", "1.png", "2.png", "3.png"], "the vehicle's own is not of the day");
    assert_eq!(store.day_of_note(said).await.unwrap(), day_id);
    let of_note = store.attached(Attached::Note(said)).await.unwrap().remove(0);
    assert_eq!(store.detach(of_note.id, &by()).await.unwrap(), Some(Attached::Note(said)));
    assert!(matches!(store.detach(of_note.id, &by()).await, Err(StoreError::NotFound { .. })));
    assert_eq!(store.file_bytes(of_note.file_id).await.unwrap(), vec![1; 50], "in custody all the same");
    let trail = store.trail(Subject::Day(day_id)).await.unwrap();
    assert!(trail.iter().any(|t| t.field == "attached" && t.old_value == "1.png"), "{trail:?}");
}
