package bargelane.e2e;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.client.Remedies;
import bargelane.core.finding.Action;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.Arrays;
import java.util.List;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;

/** The arrows of docs/architecture.md. */
class ArchitectureTest {

  private static final JavaClasses CLASSES =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("bargelane");

  @Test
  void arrowsPointDown() {

    layeredArchitecture()
        .consideringOnlyDependenciesInLayers()
        .layer("text")
        .definedBy("bargelane.text..")
        .layer("core")
        .definedBy("bargelane.core..")
        .layer("blocks")
        .definedBy("bargelane.blocks..")
        .layer("api")
        .definedBy("bargelane.api..")
        .layer("sites")
        .definedBy("bargelane.sites..")
        .layer("tug")
        .definedBy("bargelane.tug..")
        .layer("agent")
        .definedBy("bargelane.agent..")
        .layer("standins")
        .definedBy("bargelane.standins..")
        .layer("service")
        .definedBy("bargelane.service..")
        .layer("client")
        .definedBy("bargelane.client..")
        .layer("e2e")
        .definedBy("bargelane.e2e..")
        .layer("bench")
        .definedBy("bargelane.bench..")
        .withOptionalLayers(true)
        .whereLayer("text")
        .mayNotAccessAnyLayer()
        .whereLayer("core")
        .mayOnlyAccessLayers("text")
        .whereLayer("blocks")
        .mayNotAccessAnyLayer()
        .whereLayer("api")
        .mayNotAccessAnyLayer()
        .whereLayer("sites")
        .mayOnlyAccessLayers("core", "blocks")
        .whereLayer("tug")
        .mayOnlyAccessLayers("sites", "blocks", "api")
        .whereLayer("agent")
        .mayOnlyAccessLayers("core")
        .whereLayer("standins")
        .mayOnlyAccessLayers("blocks")
        .whereLayer("service")
        .mayOnlyAccessLayers("text", "core", "sites", "tug", "api", "blocks")
        .whereLayer("client")
        .mayOnlyAccessLayers("text", "api")
        .check(CLASSES);
  }

  /** From the ground up: a room uses only those before it. */
  private static final List<String> ROOMS =
      List.of(
          "platform",
          "backup",
          "event",
          "account",
          "http",
          "run",
          "site",
          "provider",
          "machine",
          "guest",
          "usage",
          "connection",
          "assess",
          "lane",
          "replication",
          "plan",
          "estate",
          "approval",
          "move",
          "adopt",
          "overview",
          "node");

  @Test
  void aRoomOfTheServiceUsesOnlyRoomsAboveIt() {
    for (int i = 0; i < ROOMS.size(); i++) {
      String[] below =
          ROOMS.subList(i + 1, ROOMS.size()).stream()
              .map(r -> "bargelane.service." + r + "..")
              .toArray(String[]::new);
      if (below.length > 0) {
        noClasses()
            .that()
            .resideInAPackage("bargelane.service." + ROOMS.get(i) + "..")
            .should()
            .dependOnClassesThat()
            .resideInAnyPackage(below)
            .because("rooms are built from the ground up: docs/architecture.md")
            .check(CLASSES);
      }
    }
  }

  @Test
  void everyClassOfTheServiceIsInARoom() {
    classes()
        .that()
        .resideInAPackage("bargelane.service..")
        .should()
        .resideInAnyPackage(
            ROOMS.stream().map(r -> "bargelane.service." + r).toArray(String[]::new))
        .check(CLASSES);
  }

  @Test
  void roomsAndTheRoomsOfTheCoreFormNoCircle() {
    slices().matching("bargelane.service.(*)..").should().beFreeOfCycles().check(CLASSES);
    slices().matching("bargelane.core.(*)..").should().beFreeOfCycles().check(CLASSES);
  }

  /** Agents are listened to on a port and under a certificate of their own. */
  @Test
  void onlyTheHttpRoomKnowsTheServer() {
    noClasses()
        .that()
        .resideInAPackage("bargelane.service..")
        .and()
        .resideOutsideOfPackage("bargelane.service.http..")
        .and()
        .doNotHaveSimpleName("AgentListener")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage("io.javalin..", "org.eclipse.jetty..")
        .check(CLASSES);
  }

  @Test
  void theDomainTouchesNothingOutside() {

    noClasses()
        .that()
        .resideInAPackage("bargelane.core..")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage(
            "java.io..",
            "java.net..",
            "java.nio.file..",
            "java.sql..",
            "com.fasterxml..",
            "jakarta..",
            "org.hibernate..")
        .check(CLASSES);
  }

  /** What a remedy asks for is told by every client; the console is checked by its compiler. */
  @Test
  void everyActionOfARemedyHasACommand() {
    assertEquals(
        Arrays.stream(Action.values())
            .map(Action::word)
            .collect(Collectors.toCollection(TreeSet::new)),
        new TreeSet<>(Remedies.COMMANDS.keySet()));
  }
}
