"""Roles, several crews for a person, invitations, the trail, sessions. Whoever was in a crew before may do what they could."""

from django.conf import settings
from django.db import migrations, models

ROLES = [("reader", "reader"), ("member", "member"), ("lead", "lead")]


class Migration(migrations.Migration):
    dependencies = [("crews", "0002_preferences"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.AddField("crew", "keep_revisions", models.PositiveIntegerField(default=0)),
        migrations.AlterField(
            "member", "user", models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="members")
        ),
        migrations.AddField("member", "role", models.CharField(choices=ROLES, default="lead", max_length=10)),
        migrations.AlterField("member", "role", models.CharField(choices=ROLES, default="member", max_length=10)),
        migrations.AlterModelOptions("member", {"ordering": ["id"]}),
        migrations.AddConstraint("member", models.UniqueConstraint(fields=["user", "crew"], name="once_in_a_crew")),
        migrations.CreateModel(
            name="Invitation",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("role", models.CharField(choices=ROLES, max_length=10)),
                ("note", models.CharField(default="", max_length=120)),
                ("hash", models.CharField(max_length=64, unique=True)),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                ("until", models.DateTimeField()),
                ("crew", models.ForeignKey("crews.crew", models.CASCADE, related_name="invitations")),
                ("made_by", models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")),
                ("used_by", models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")),
            ],
            options={"ordering": ["-id"]},
        ),
        migrations.CreateModel(
            name="Deed",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("at", models.DateTimeField(auto_now_add=True, db_index=True)),
                ("who", models.CharField(max_length=150)),
                ("what", models.CharField(max_length=40)),
                ("about", models.CharField(default="", max_length=200)),
                ("address", models.CharField(default="", max_length=45)),
                ("crew", models.ForeignKey("crews.crew", models.CASCADE, null=True, related_name="deeds")),
            ],
            options={"ordering": ["-id"], "indexes": [models.Index(fields=["crew", "-id"], name="deeds_of_crew")]},
        ),
        migrations.CreateModel(
            name="SignIn",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("session", models.CharField(max_length=40, unique=True)),
                ("began", models.DateTimeField(auto_now_add=True)),
                ("address", models.CharField(default="", max_length=45)),
                ("agent", models.CharField(default="", max_length=200)),
                ("user", models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="sign_ins")),
            ],
            options={"ordering": ["-id"]},
        ),
        migrations.RunSQL(
            "CREATE TRIGGER crews_deed_not_updated BEFORE UPDATE ON crews_deed"
            " BEGIN SELECT RAISE(ABORT, 'the trail is only added to'); END",
            "DROP TRIGGER crews_deed_not_updated",
        ),
    ]
