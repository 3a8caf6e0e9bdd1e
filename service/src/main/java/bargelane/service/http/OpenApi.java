package bargelane.service.http;

import bargelane.api.Problem;
import bargelane.core.account.Need;
import bargelane.core.finding.Action;
import com.fasterxml.jackson.core.JsonProcessingException;
import io.swagger.v3.core.util.Json;
import io.swagger.v3.oas.models.Components;
import io.swagger.v3.oas.models.OpenAPI;
import io.swagger.v3.oas.models.Operation;
import io.swagger.v3.oas.models.PathItem;
import io.swagger.v3.oas.models.Paths;
import io.swagger.v3.oas.models.info.Info;
import io.swagger.v3.oas.models.info.License;
import io.swagger.v3.oas.models.media.ArraySchema;
import io.swagger.v3.oas.models.media.BooleanSchema;
import io.swagger.v3.oas.models.media.Content;
import io.swagger.v3.oas.models.media.IntegerSchema;
import io.swagger.v3.oas.models.media.MediaType;
import io.swagger.v3.oas.models.media.ObjectSchema;
import io.swagger.v3.oas.models.media.Schema;
import io.swagger.v3.oas.models.media.StringSchema;
import io.swagger.v3.oas.models.parameters.Parameter;
import io.swagger.v3.oas.models.parameters.RequestBody;
import io.swagger.v3.oas.models.responses.ApiResponse;
import io.swagger.v3.oas.models.responses.ApiResponses;
import io.swagger.v3.oas.models.security.SecurityRequirement;
import io.swagger.v3.oas.models.security.SecurityScheme;
import java.math.BigDecimal;
import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** The API's OpenAPI 3 document, made from the endpoints and the wire records. */
final class OpenApi {

  private static final Pattern PARAMETER = Pattern.compile("\\{(\\w+)}");

  private OpenApi() {}

  static String document(List<Endpoint> endpoints) {
    OpenAPI api =
        new OpenAPI()
            .info(
                new Info()
                    .title("Barge Lane")
                    .version("1")
                    .license(new License().name("Apache-2.0")))
            .components(
                new Components()
                    .addSecuritySchemes(
                        "token",
                        new SecurityScheme().type(SecurityScheme.Type.HTTP).scheme("bearer")))
            .paths(new Paths());
    WireTypes types = new WireTypes(endpoints);
    types.all().forEach((name, schema) -> api.getComponents().addSchemas(name, schema));
    // Every action that a remedy can have, so that a client that misses one is told at its build.
    Schema<?> remedy = api.getComponents().getSchemas().get("Remedy");
    StringSchema action = new StringSchema();
    action.addEnumItem("");
    for (Action a : Action.values()) {
      action.addEnumItem(a.word());
    }
    remedy.getProperties().put("action", action);
    for (Endpoint e : endpoints) {
      String path = "/api/v1" + e.path();
      PathItem item = api.getPaths().computeIfAbsent(path, p -> new PathItem());
      item.operation(PathItem.HttpMethod.valueOf(e.method()), operation(types, e));
    }
    try {
      return Json.pretty().writeValueAsString(api);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Operation operation(WireTypes types, Endpoint e) {
    Operation operation =
        new Operation()
            .summary(e.summary())
            .operationId(
                e.method().toLowerCase(Locale.ROOT) + e.path().replaceAll("[^A-Za-z]+", "-"));
    Matcher m = PARAMETER.matcher(e.path());
    while (m.find()) {
      operation.addParametersItem(
          new Parameter()
              .name(m.group(1))
              .in("path")
              .required(true)
              .schema(new Schema<String>().type("string")));
    }
    for (Endpoint.Query q : e.queries()) {
      operation.addParametersItem(
          new Parameter().name(q.name()).in("query").description(q.meaning()).schema(schema(q)));
    }
    if (e.takes() != Void.class) {
      operation.requestBody(
          e.takes() == byte[].class
              ? new RequestBody().content(bytes())
              : new RequestBody().content(json(types.taken(e.takes()))));
    }
    ApiResponse success = new ApiResponse().description("done");
    if (e.gives() == Endpoints.Document.class) {
      success.content(
          new Content()
              .addMediaType("text/html", new MediaType().schema(new StringSchema()))
              .addMediaType("text/csv", new MediaType().schema(new StringSchema())));
    } else if (e.gives() == byte[].class) {
      success.content(bytes());
    } else if (e.gives() != Void.class && e.gives() != Endpoints.Redirect.class) {
      Schema<?> schema = types.given(e.gives());
      success.content(
          json(
              switch (e.shape()) {
                case ONE -> schema;
                case LIST -> new ArraySchema().items(schema);
                case PAGE -> page(schema);
              }));
    }
    ApiResponse problem =
        new ApiResponse()
            .description("a problem (RFC 9457)")
            .content(
                new Content()
                    .addMediaType(
                        "application/problem+json",
                        new MediaType().schema(types.given(Problem.class))));
    operation.responses(
        new ApiResponses().addApiResponse(String.valueOf(e.status()), success)._default(problem));
    if (!e.needs().contains(Need.NOTHING)) {
      operation.addSecurityItem(new SecurityRequirement().addList("token"));
    }
    // Which roles may call it; the specification has no place of its own for it.
    operation.addExtension(
        "x-needs", e.needs().stream().sorted().map(Need::word).collect(Collectors.toList()));
    operation.addExtension("x-limited", e.reach().word());
    return operation;
  }

  private static Schema<?> schema(Endpoint.Query q) {
    return switch (q.kind()) {
      case TEXT -> new StringSchema()._default(q.otherwise().isEmpty() ? null : q.otherwise());
      case NUMBER ->
          new IntegerSchema()
              .format(q.most() > Integer.MAX_VALUE ? "int64" : "int32")
              ._default(Integer.valueOf(q.otherwise()))
              .minimum(BigDecimal.valueOf(q.least()))
              .maximum(BigDecimal.valueOf(q.most()));
      case FLAG -> new BooleanSchema()._default(false);
    };
  }

  private static Schema<?> page(Schema<?> item) {
    return new ObjectSchema()
        .addProperty("items", new ArraySchema().items(item))
        .addProperty("total", new IntegerSchema().format("int64"))
        .addProperty("page", new IntegerSchema())
        .addProperty("size", new IntegerSchema())
        .required(List.of("items", "total", "page", "size"));
  }

  private static Content bytes() {
    return new Content()
        .addMediaType(
            "application/octet-stream",
            new MediaType().schema(new Schema<String>().type("string").format("binary")));
  }

  private static Content json(Schema<?> schema) {
    return new Content().addMediaType("application/json", new MediaType().schema(schema));
  }
}
