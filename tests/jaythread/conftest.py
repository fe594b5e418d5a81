"""A store that speaks S3, on loopback, for the tests of several machines."""

import logging
import uuid

import boto3
import pytest
from moto.server import ThreadedMotoServer


@pytest.fixture(scope="session")
def server():
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    it = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    it.start()
    yield it
    it.stop()


@pytest.fixture
def bucket(server, settings, monkeypatch):
    """An empty bucket that the house uses from now on."""
    for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
        monkeypatch.setenv(name, "saltmarsh")
    at = "http://{}:{}".format(*server.get_host_and_port())
    name = f"saltmarsh-{uuid.uuid4().hex}"
    boto3.client("s3", endpoint_url=at, region_name="us-east-1").create_bucket(Bucket=name)
    options = {"bucket": name, "under": "house", "at": at, "region": "us-east-1"}
    settings.STORAGES = {**settings.STORAGES, "shared": {"BACKEND": "jaythread.store.s3.SharedStore", "OPTIONS": options}}
    return options
