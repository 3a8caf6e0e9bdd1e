package bargelane.e2e;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;

/** The arrows of docs/architecture.md. */
@AnalyzeClasses(packages = "bargelane", importOptions = ImportOption.DoNotIncludeTests.class)
class ArchitectureTest {

  @ArchTest
  static final ArchRule arrowsPointDown =
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
          .whereLayer("standins")
          .mayOnlyAccessLayers("blocks")
          .whereLayer("service")
          .mayOnlyAccessLayers("core", "sites", "tug", "api", "blocks")
          .whereLayer("client")
          .mayOnlyAccessLayers("api");

  @ArchTest
  static final ArchRule theDomainTouchesNothingOutside =
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
              "org.hibernate..");
}
