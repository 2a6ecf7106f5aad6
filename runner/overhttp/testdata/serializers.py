# A backend whose serializers say what does not fit. Its port is the argument.
import sys

from django.conf import settings

settings.configure(
    DEBUG=False,
    SECRET_KEY="saltmarsh",
    ALLOWED_HOSTS=["*"],
    ROOT_URLCONF=__name__,
    REST_FRAMEWORK={"DEFAULT_AUTHENTICATION_CLASSES": [], "DEFAULT_PERMISSION_CLASSES": [], "UNAUTHENTICATED_USER": None},
)

import django

django.setup()

from wsgiref.simple_server import make_server

from django.core.wsgi import get_wsgi_application
from django.urls import path
from rest_framework import serializers
from rest_framework.response import Response
from rest_framework.views import APIView


class Vessel(serializers.Serializer):
    name = serializers.CharField(max_length=5)
    length = serializers.FloatField(max_value=12)


class Permit(serializers.Serializer):
    vessel = Vessel()
    arrival = serializers.DateField()
    departure = serializers.DateField()
    berth = serializers.CharField()
    terms = serializers.BooleanField()

    def validate(self, permit):
        raise serializers.ValidationError("Two permits are the most.")


class Permits(APIView):
    def post(self, request):
        permit = Permit(data=request.data)
        permit.is_valid(raise_exception=True)
        return Response({}, status=201)


urlpatterns = [path("permits", Permits.as_view())]
make_server("127.0.0.1", int(sys.argv[1]), get_wsgi_application()).serve_forever()
