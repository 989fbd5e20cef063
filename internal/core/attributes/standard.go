package attributes

import (
	"slices"
	"strings"
)

// standard lists the names of OpenTelemetry's semantic conventions (1.45) that events
// carry, by namespace, and those that Of makes.
const standard = `app: build_id installation.id
android: os.api_level state
aspnetcore: diagnostics.handler.type request.is_unhandled routing.is_fallback
aws: request_id lambda.invoked_arn lambda.resource_mapping.id
browser: brands language mobile name platform version
client: address port
cloud: account.id availability_zone platform provider region resource_id
code: column.number file.path function.name line.number
container: id image.name image.tags name runtime.name
db: client.connection.pool.name collection.name namespace operation.name query.summary query.text response.status_code system.name
deployment: environment.name id name status
device: id manufacturer model.identifier model.name type
dns: question.name
enduser: id pseudo.id role scope
error: message type
event: name
faas: coldstart instance invocation_id max_memory name trigger version
feature_flag: context.id key provider.name result.reason result.value result.variant set.id version
file: name path size
geo: continent.code country.iso_code locality.name location.lat location.lon postal_code region.iso_code
graphql: document operation.name operation.type
host: arch id image.name ip name type
http: connection.state request.body.size request.method request.method_original request.resend_count request.size response.body.size response.size response.status_code route
ios: app.state state
jvm: gc.name thread.state
k8s: cluster.name container.name cronjob.name daemonset.name deployment.name job.name namespace.name node.name pod.name pod.uid replicaset.name statefulset.name
log: file.name file.path iostream record.uid
messaging: batch.message_count client.id consumer.group.name destination.name destination.partition.id message.id operation.name operation.type system
network: carrier.name connection.subtype connection.type interface.name local.address peer.address peer.port protocol.name protocol.version transport type
nodejs: eventloop.state
os: build_id description name type version
otel: scope.name scope.version status_code status_description
peer: service
process: command command_line executable.name executable.path owner parent_pid pid runtime.description runtime.name runtime.version
rpc: grpc.status_code method response.status_code service system system.name
screen: class name
server: address port
service: instance.id name namespace peer.name version
session: previous_id
source: address port
telemetry: distro.name distro.version sdk.language sdk.name sdk.version
test: case.name suite.name
thread: id name
tls: cipher protocol.name protocol.version
url: domain extension fragment full original path port query registered_domain scheme subdomain template top_level_domain
user: email full_name hash id name roles
user_agent: name original os.name os.version synthetic.type version
vcs: change.id ref.head.name ref.head.revision ref.head.type repository.name repository.url.full
webengine: description name version`

var standardNames = func() []string {
	var out []string
	for line := range strings.Lines(standard) {
		space, names, _ := strings.Cut(line, ":")
		for _, n := range strings.Fields(names) {
			out = append(out, space+"."+n)
		}
	}
	slices.Sort(out)
	return out
}()

// Standard says whether a name is one of OpenTelemetry's, for which there is always
// a place.
func Standard(name string) bool {
	_, ok := slices.BinarySearch(standardNames, name)
	return ok
}

// StandardNames lists OpenTelemetry's names, in order.
func StandardNames() []string { return slices.Clone(standardNames) }
