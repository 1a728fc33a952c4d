"""What baked curves were made of is stored once for all curves of a project, not with each."""

from peewee import BlobField, CharField, ForeignKeyField, IntegerField, Model


def up(migrator, db):
    """Take the inputs off the curves; those baked before stay, and say that an earlier version baked them."""

    class Base(Model):
        class Meta:
            database = db
            legacy_table_names = False

    class Project(Base):
        key = CharField(unique=True)
        head = IntegerField(null=True)

    class BakedRecords(Base):
        project = ForeignKeyField(Project, on_delete="CASCADE", unique=True)
        records = BlobField()

    db.create_tables([BakedRecords])
    db.execute_sql("ALTER TABLE baked_curve DROP COLUMN inputs")
