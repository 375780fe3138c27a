// MQTT.js at the hub's door: connects, subscribes, publishes at every QoS, and prints what it saw as one line of JSON.
// node mqtt_js.mjs URL VERSION USER KEY TOPIC
import mqtt from "../../console/node_modules/mqtt/build/index.js";

const [url, version, username, password, topic] = process.argv.slice(2);
const client = mqtt.connect(url, {
  protocolVersion: Number(version),
  clientId: `${username}-js`,
  username,
  password,
  clean: true,
  reconnectPeriod: 0,
  properties: version === "5" ? { topicAliasMaximum: 10, receiveMaximum: 20, sessionExpiryInterval: 5 } : undefined,
  autoUseTopicAlias: version === "5",
  autoAssignTopicAlias: version === "5",
});
const seen = { connack: null, granted: [], heard: [], acknowledged: [] };
const done = (code) => {
  console.log(JSON.stringify(seen));
  process.exit(code);
};
setTimeout(() => done(1), 8000).unref();
client.on("error", (error) => {
  seen.error = error.message;
  seen.code = error.code;
  done(2);
});
client.on("message", (where, payload, packet) => {
  seen.heard.push({
    topic: where,
    payload: payload.toString(),
    qos: packet.qos,
    mark: packet.properties?.userProperties?.mark ?? null,
  });
  if (seen.heard.length === 6) client.end(false, {}, () => done(0));
});
client.on("connect", async (connack) => {
  seen.connack = { ...(connack.properties ?? {}), code: connack.reasonCode ?? connack.returnCode };
  const granted = await client.subscribeAsync(topic, { qos: 2 });
  seen.granted = granted.map((one) => one.qos);
  for (let n = 0; n < 6; n++) {
    const properties = version === "5" ? { userProperties: { mark: `m${n}` } } : undefined;
    await client.publishAsync(topic, `${20 + n}`, { qos: n % 3, properties });
    seen.acknowledged.push(n % 3);
  }
});
