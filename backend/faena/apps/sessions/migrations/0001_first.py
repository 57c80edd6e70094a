"""Taken over from the app of locks: the tables are there already, under their new names."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("servers", "0007_engines_by_name"),
        ("locks", "0004_sessions_apart"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="EndedSession",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                            ),
                        ),
                        ("at", models.DateTimeField(auto_now_add=True)),
                        ("by_name", models.CharField(max_length=150)),
                        ("what", models.CharField(max_length=10)),
                        ("pid", models.IntegerField()),
                        ("started_ms", models.BigIntegerField()),
                        ("program", models.TextField()),
                        ("user", models.TextField()),
                        ("client", models.TextField()),
                        ("query_id", models.BigIntegerField(null=True)),
                        ("reason", models.TextField()),
                        ("answer", models.TextField()),
                        ("freed", models.JSONField(default=list)),
                        ("still", models.JSONField(default=list)),
                        (
                            "by",
                            models.ForeignKey(
                                null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL
                            ),
                        ),
                        ("server", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="servers.server")),
                    ],
                ),
                migrations.CreateModel(
                    name="Recording",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                            ),
                        ),
                        ("program", models.TextField(default="")),
                        ("pid", models.IntegerField(null=True)),
                        ("started_s", models.IntegerField(null=True)),
                        ("from_ms", models.BigIntegerField()),
                        ("until_ms", models.BigIntegerField()),
                        ("asked_by", models.CharField(max_length=150)),
                        ("server", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="servers.server")),
                    ],
                ),
            ]
        )
    ]
