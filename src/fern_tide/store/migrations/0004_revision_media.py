"""What revisions name is listed once, and what was made on a revision is found without looking through all of them."""

import json
import zlib

from peewee import CharField, Model


def up(migrator, db):
    """List the media of all revisions, and index revisions by the one that they were made on."""

    class RevisionMedia(Model):
        digest = CharField(primary_key=True)

        class Meta:
            database = db
            legacy_table_names = False

    db.create_tables([RevisionMedia])
    db.execute_sql("create index if not exists revision_parent on revision (parent)")
    for (packed,) in db.execute_sql("select document from revision"):
        document = json.loads(zlib.decompress(packed))
        read = {envelope["reading"].get("params", {}).get("media") for envelope in document["envelopes"]}
        files = {file["media"] for file in document["scene"].get("files", ())}
        for digest in {track["media"] for track in document["tracks"]} | {one for one in read if one} | files:
            RevisionMedia.insert(digest=digest).on_conflict_ignore().execute()
