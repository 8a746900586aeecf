"""Every text that people read: no word of a language of its own, short sentences, short titles; and the page that holds them is fresh."""

import re
import sys
from pathlib import Path

import pytest

import ewerer
from tests.jobs import NAMES as DEMOS

sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "tools"))
import words


@pytest.fixture(scope="module")
def found():
    return words.texts()


def test_nothing_is_said_that_nobody_says(found):
    assert words.wrong(found) == []
    assert len(found) > 4000  # the gathering itself works


def test_the_page_is_fresh(found):
    assert words.PAGE.read_text() == words.page(found), "make docs"


@pytest.mark.parametrize(
    ("text", "kind", "told"),
    [
        ("The alarm would cry wolf", "title", "cry wolf"),
        ("M0 binds before the others", "title", "binds"),
        ("Put aside with a reason", "label", "Put aside"),
        ("A title of findings that is by far too long for a screen", "title", "title of 13 words"),
        (" ".join(["word"] * 26) + ".", "text", "sentence of 26 words"),
        ("The figure of low_off_v is wrong", "text", "low_off_v"),
    ],
)
def test_it_speaks(text, kind, told):
    assert told in words.wrong([words.Text("x.py", 1, kind, text)])[0]


@pytest.mark.parametrize(
    "text", ["I_bank <= sum(I_i) binds", "{low_off_v} V is the lowest", "Rebinds the list", "One. Two. Three. " * 9]
)
def test_it_is_silent(text):
    assert words.wrong([words.Text("x.py", 1, "text", text)]) == []


def test_texts_are_found_where_they_stand(tmp_path, monkeypatch):
    monkeypatch.setattr(words, "ROOT", tmp_path)
    source = tmp_path / "a.py"
    source.write_text(
        '"""Not this one."""\ndef f(rule, x):\n    """Nor this."""\n    return rule.finding("stop", f"{x} is low", f"It is {x:.1f} V" + " at rest")\n'
    )
    assert [(t.kind, t.text) for t in words.of_python(source)] == [("title", "{x} is low"), ("text", "It is {x} V at rest")]
    vue = tmp_path / "b.vue"
    vue.write_text(
        "<script setup>\nconst a = 'Two words'\n</script>\n<template>\n  <p title=\"Told by title\">Some <b>bold</b> {{ x }} text</p>\n</template>\n"
    )
    assert {t.text for t in words.of_vue(vue)} == {"Told by title", "Some bold {figure} text", "Two words"}


@pytest.mark.parametrize("name", DEMOS)
def test_no_figure_stands_beside_its_equal(name):
    for f in ewerer.plan(ewerer.demo_job(name)).findings:
        assert len(f.title.split()) <= 9, f.title  # names of devices may be two words
        for sentence in re.split(r"(?<=[.;:]) ", f.message):
            pairs = re.findall(r"(\d[\d.]*) (V|A|W|Ah|%) (?:is|means|says) (\d[\d.]*) (V|A|W|Ah|%)", sentence)
            assert not [p for p in pairs if p[1] == p[3] and float(p[0].rstrip(".")) == float(p[2].rstrip("."))], f.message
