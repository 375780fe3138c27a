from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0023_pictures_of_notices'),
    ]

    operations = [
        migrations.RenameModel('Tool', 'MqttAccount'),
    ]
