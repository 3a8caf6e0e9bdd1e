package bargelane.e2e;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
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
        .whereLayer("core")
        .mayNotAccessAnyLayer()
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
        .mayOnlyAccessLayers("core", "sites", "tug", "api", "blocks")
        .whereLayer("client")
        .mayOnlyAccessLayers("api")
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
}
