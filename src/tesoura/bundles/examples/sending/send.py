import base64, hashlib, hmac, json, os, time, urllib.request, uuid

body = json.dumps({"id": uuid.uuid4().hex, "name": "teacup_ana", "amount": 12}).encode()
number, stamp = f"msg_{uuid.uuid4().hex}", str(int(time.time()))
key = base64.b64decode(os.environ["TESOURA_SECRET"].removeprefix("whsec_"))
signed = f"{number}.{stamp}.".encode() + body
signature = "v1," + base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()
heads = {
    "webhook-id": number,
    "webhook-timestamp": stamp,
    "webhook-signature": signature,
    "Content-Type": "application/json",
}
asked = urllib.request.Request(os.environ["TESOURA_ADDRESS"], body, heads)
print(urllib.request.urlopen(asked).status)
