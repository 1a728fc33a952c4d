"""Recipes that every project can use."""

from peewee import CharField, Model, TextField, TimestampField


def up(migrator, db):
    """Create the library."""

    class LibraryRecipe(Model):
        key = CharField(unique=True)
        recipe = TextField()
        created = TimestampField(resolution=3)

        class Meta:
            database = db
            legacy_table_names = False

    db.create_tables([LibraryRecipe])
