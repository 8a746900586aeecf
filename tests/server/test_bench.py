"""The benchmarks of the server run on the database as it is now."""

import pytest
from bench import crews

from tests.jobs import SKERRY, changed


@pytest.mark.slow
def test_the_benchmarks_of_the_server_run():
    document = changed(SKERRY)
    with crews.demo_folder() as (base, folder), crews.bare_server("signed-in") as signed:
        for begin in (crews.saves(base, document, True), crews.saves(base, document, False), crews.signed_saves(signed, document)):
            middle, late = crews.together(2, 2, begin)
            assert 0 < middle <= late
        before = crews.Signed(base).ask("GET", "/api/jobs?limit=1")["total"]
        took, size_kb = crews.many_jobs(base, folder, 7)
        assert took > 0 and size_kb > 1
        assert crews.Signed(base).ask("GET", "/api/jobs?limit=1")["total"] == before + 7
        told = crews.beside_another_crew(base, times=2, many=2)
        assert set(told) == {"list", "plan", "year"} and all(t > 0 for pair in told.values() for t in pair)
