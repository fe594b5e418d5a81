"""Drop a database of the cluster (a benchmark's)."""

import os

import psycopg

with psycopg.connect(host="127.0.0.1", port=os.environ["JAY_DB_PORT"], user="jay", dbname="postgres", autocommit=True) as connection:
    connection.execute(f'drop database if exists "{os.environ["JAY_DB"]}" with (force)')
