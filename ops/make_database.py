"""Make the application's database in the cluster, when it is not there."""

import os

import psycopg

name = os.environ.get("JAY_DB", "jaythread")
with psycopg.connect(host="127.0.0.1", port=os.environ["JAY_DB_PORT"], user="jay", dbname="postgres", autocommit=True) as connection:
    if not connection.execute("select 1 from pg_database where datname = %s", (name,)).fetchone():
        connection.execute(f'create database "{name}"')
