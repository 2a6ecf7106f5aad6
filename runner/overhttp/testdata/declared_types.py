# A backend that declares the types of what it takes, and lets its library say what does
# not fit. Its port is the argument.
import sys
from datetime import date

import uvicorn
from fastapi import FastAPI, Header
from pydantic import BaseModel, Field


class Vessel(BaseModel):
    name: str = Field(max_length=5)
    length: float = Field(le=12)


class Permit(BaseModel):
    vessel: Vessel
    arrival: date
    departure: date
    berth: str
    terms: bool


app = FastAPI()


@app.post("/permits", status_code=201)
def permits(permit: Permit, idempotency_key: str = Header()):
    return {"key": idempotency_key}


uvicorn.run(app, host="127.0.0.1", port=int(sys.argv[1]), log_level="error")
