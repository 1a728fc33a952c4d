"""Projects, their revisions, and what was last baked."""

from peewee import BlobField, BooleanField, CharField, ForeignKeyField, IntegerField, Model, TextField, TimestampField


def up(migrator, db):
    """Create the first tables."""

    class Base(Model):
        class Meta:
            database = db
            legacy_table_names = False

    class Project(Base):
        key = CharField(unique=True)
        name = CharField()
        head = IntegerField(null=True)
        deleted = BooleanField(default=False)
        created = TimestampField(resolution=3)
        changed = TimestampField(resolution=3)

    class Revision(Base):
        project = ForeignKeyField(Project, on_delete="CASCADE")
        parent = IntegerField(null=True)
        label = TextField()
        document = BlobField()
        created = TimestampField(resolution=3)

    class BakedCurve(Base):
        project = ForeignKeyField(Project, on_delete="CASCADE")
        target = CharField()
        fingerprint = CharField()
        inputs = TextField()
        created = TimestampField(resolution=3)

        class Meta:
            indexes = ((("project", "target"), True),)

    db.create_tables([Project, Revision, BakedCurve])
