body='{"id": "'$(date +%s%N)'", "name": "teacup_ana", "amount": 12}'
number="msg_$(date +%s%N)"
stamp="$(date +%s)"
key="$(printf %s "${TESOURA_SECRET#whsec_}" | base64 -d | od -An -v -tx1 | tr -d ' \n')"
signature="$(printf %s "$number.$stamp.$body" \
  | openssl dgst -sha256 -mac HMAC -macopt "hexkey:$key" -binary | base64)"
curl -sS -w '%{http_code}\n' -H "webhook-id: $number" -H "webhook-timestamp: $stamp" \
  -H "webhook-signature: v1,$signature" -H "Content-Type: application/json" \
  --data-binary "$body" "$TESOURA_ADDRESS"
