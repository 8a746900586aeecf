"""What a proxy says counts only from one that is trusted; nobody plants an address, a scheme or a session."""

import pytest
from django.http import HttpResponse
from django.test import Client, RequestFactory

from ewerer.server import throttle
from ewerer.server.proxies import FromProxy, trusted
from tests.server.asking import person, post


def seen(monkeypatch, proxies, remote, **headers):
    monkeypatch.setenv("EWERER_PROXIES", proxies)
    got = {}
    FromProxy(lambda r: got.update(r.META) or HttpResponse())(RequestFactory().get("/", REMOTE_ADDR=remote, **headers))
    return got


@pytest.mark.parametrize(
    ("proxies", "remote", "told", "address"),
    [
        ("127.0.0.1", "127.0.0.1", "203.0.113.9", "203.0.113.9"),
        ("127.0.0.1", "127.0.0.1", "6.6.6.6, 203.0.113.9", "203.0.113.9"),
        ("127.0.0.1, 10.0.0.0/8", "127.0.0.1", "6.6.6.6, 203.0.113.9, 10.1.2.3", "203.0.113.9"),
        ("10.0.0.0/8", "203.0.113.9", "10.0.0.1", "203.0.113.9"),
        ("", "127.0.0.1", "6.6.6.6", "127.0.0.1"),
        ("127.0.0.1", "127.0.0.1", "no address", "127.0.0.1"),
        ("127.0.0.1", "127.0.0.1", "6.6.6.6, <script>", "127.0.0.1"),
        ("::1", "::1", "2001:db8::7", "2001:db8::7"),
    ],
)
def test_the_address_is_the_nearest_that_is_no_proxy_of_ours(monkeypatch, proxies, remote, told, address):
    assert seen(monkeypatch, proxies, remote, HTTP_X_FORWARDED_FOR=told)["REMOTE_ADDR"] == address


def test_a_stranger_says_nothing_of_scheme_or_host(monkeypatch):
    planted = {"HTTP_X_FORWARDED_PROTO": "https", "HTTP_X_FORWARDED_HOST": "evil.example", "HTTP_X_REAL_IP": "127.0.0.1"}
    assert not planted.keys() & seen(monkeypatch, "127.0.0.1", "203.0.113.9", **planted).keys()
    assert seen(monkeypatch, "127.0.0.1", "127.0.0.1", **planted)["HTTP_X_FORWARDED_PROTO"] == "https"


@pytest.mark.parametrize("text", ["here", "10.0.0.0/40", "10.0.0.1;10.0.0.2"])
def test_what_is_no_network_is_refused_at_the_start(monkeypatch, text):
    monkeypatch.setenv("EWERER_PROXIES", text)
    with pytest.raises(ValueError, match=r"\S"):
        trusted()


@pytest.mark.django_db
def test_a_planted_session_is_not_taken_over():
    throttle.forget()
    person("ann", "Ours")
    client = Client()
    client.cookies["sessionid"] = "planted0planted0planted0planted0"
    assert post(client, "/session", {"username": "ann", "password": "a-long-password"}).status_code == 200
    assert client.cookies["sessionid"].value != "planted0planted0planted0planted0"
    other = Client()
    other.cookies["sessionid"] = "planted0planted0planted0planted0"
    assert not other.get("/api/session").json()["signed_in"]
