"""The command's own parts: two checkouts side by side, and what is said when something is missing."""

import importlib
import shutil

import pytest

commands = importlib.import_module("commands")
machine = importlib.import_module("machine")
services = importlib.import_module("services")


def test_two_checkouts_do_not_disturb_each_other(tmp_path):
    with services.running(tmp_path / "one") as one, services.running(tmp_path / "two") as two:
        places = {one.environment()["RECITANT_DB_HOST"], two.environment()["RECITANT_DB_HOST"]}
        assert len(places) == 2 and one.redis_port != two.redis_port
        asked = (one.database_answers, one.redis_answers, two.database_answers, two.redis_answers)
        assert all(answers() for answers in asked)
        assert one.environment()["RECITANT_DB_PASSWORD"] != two.environment()["RECITANT_DB_PASSWORD"]
    assert not any(answers() for answers in asked)


def test_one_checkout_runs_once(tmp_path):
    folder = tmp_path / "one"
    folder.mkdir()
    (folder / "running.pid").write_text("1")  # left over from a crash
    with services.running(folder), pytest.raises(machine.CannotGoOn, match="runs already"), services.running(folder):
        pass


def test_secrets_are_for_the_owner_alone(tmp_path):
    services.Services(tmp_path / "one")
    assert (tmp_path / "one" / "secrets.json").stat().st_mode & 0o077 == 0


def test_without_root_and_sudo_the_packages_are_named(monkeypatch):
    monkeypatch.setattr(machine.os, "geteuid", lambda: 1000)
    real = shutil.which
    monkeypatch.setattr(machine.shutil, "which", lambda name: None if name == "sudo" else real(name))
    with pytest.raises(machine.CannotGoOn, match="apt-get install no-such-package"):
        machine.install_packages({"no-such-package": "/nonexistent"})


def test_reset_asks_first(monkeypatch, tmp_path, capsys):
    monkeypatch.setattr(commands, "APPLICATION", tmp_path / "var" / "app")
    (tmp_path / "var" / "app").mkdir(parents=True)
    (tmp_path / "var" / "app" / "kept").touch()
    monkeypatch.setattr("builtins.input", lambda _: "no")
    assert commands.main(["reset"]) == 1
    assert (tmp_path / "var" / "app" / "kept").exists()
    assert "for good" in capsys.readouterr().out


def test_every_word_has_help(capsys):
    for word in ("start", "lint", "vendor", "reset"):
        with pytest.raises(SystemExit) as ended:
            commands.main([word, "--help"])
        assert ended.value.code == 0
    assert "--no-demo" in capsys.readouterr().out
