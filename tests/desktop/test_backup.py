"""Backup and restore from the window, in a build and on the shelf."""

import shutil

from nuvlo.desktop.controller import Opened
from nuvlo.logbook import Note
from nuvlo.workshop.workshop import Workshop


def test_a_workshop_is_backed_up_and_restored_by_keys(drive, tmp_path):
    driver = drive(kind="typed")
    folder = driver.session.places.folder
    driver.type("note one")
    driver.type(f"backup {tmp_path / 'b.zip'}")
    assert "1 builds" not in driver.said
    assert driver.said.startswith("Written: ")
    assert "1 build with 2 entries" in driver.said
    driver.type("note two")
    driver.type("shelf")
    driver.window.shelf.backup_button.click()
    driver.settle()
    assert len(list(folder.parent.glob(f"{folder.name}-2*.zip"))) == 1
    driver.type(f"restore {tmp_path / 'b.zip'}")
    assert "b-restored" in driver.said
    assert driver.window.controller.workshop.places.folder == folder.with_name("b-restored")
    driver.type("gorsefire")
    assert driver.session.build.notes == ["one"]
    driver.type("note three")
    again = Workshop(folder)
    assert again.builds()[0].notes == ["one", "two"], "the workshop it was taken of goes on as it was"
    again.close()
    driver.type(f"restore {tmp_path / 'b.zip'}")
    assert "is there already" in driver.said


def test_a_log_whose_end_is_damaged_is_said(drive, tmp_path, gorsefire):
    shop = Workshop(tmp_path / "live")
    shop.start(gorsefire).record(Note(text="one"))
    shutil.copytree(tmp_path / "live", tmp_path / "left")
    shop.close()
    log = tmp_path / "left" / "logbook.db-wal"
    data = bytearray(log.read_bytes())
    data[-100] ^= 1
    log.write_bytes(bytes(data))
    driver = drive(opener=lambda: Opened(Workshop(tmp_path / "left")))
    card = driver.window.fault
    assert card.isVisible()
    assert "what was entered last is missing" in card.words.text()
    assert "wal.damaged" in card.words.text()
