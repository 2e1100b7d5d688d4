from django.db import migrations


def files_to_sources(apps, schema_editor):
    source = apps.get_model("deliveries", "Source")
    for file in apps.get_model("deliveries", "SourceFile").objects.all():
        old = dict(file.settings)
        names = old.get("names", [])
        now = {"format": "delimited", "columns": names, **{k: v for k, v in old.items() if k != "header"}}
        request = dict(file.request)
        if "header" in old:
            now["header_rows"] = int(old["header"])
        if "header" in request:
            request["header_rows"] = int(request.pop("header"))
        counts = {**file.counts, "unit": "line"} if file.counts else None
        source.objects.create(
            delivery_id=file.delivery_id,
            file=file,
            position=file.position,
            name=file.name,
            request=request,
            settings=now if names else {},
            evidence=file.evidence,
            notes=file.notes,
            rivals=file.rivals,
            counts=counts,
        )


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0002_sources")]
    operations = [migrations.RunPython(files_to_sources, migrations.RunPython.noop)]
