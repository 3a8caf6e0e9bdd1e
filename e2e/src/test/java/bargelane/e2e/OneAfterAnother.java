package bargelane.e2e;

import org.junit.jupiter.api.extension.ConditionEvaluationResult;
import org.junit.jupiter.api.extension.ExecutionCondition;
import org.junit.jupiter.api.extension.ExtensionContext;
import org.junit.jupiter.api.extension.TestWatcher;

/**
 * For a class whose tests each begin where the one before ended: after the first that fails the
 * others are skipped, since they would wait long for what can't come and hide the cause.
 */
final class OneAfterAnother implements ExecutionCondition, TestWatcher {

  private static final ExtensionContext.Namespace OWN =
      ExtensionContext.Namespace.create(OneAfterAnother.class);

  private static ExtensionContext.Store store(ExtensionContext context) {
    return context.getRoot().getStore(OWN);
  }

  @Override
  public void testFailed(ExtensionContext context, Throwable cause) {
    store(context).put(context.getRequiredTestClass(), context.getDisplayName());
  }

  @Override
  public ConditionEvaluationResult evaluateExecutionCondition(ExtensionContext context) {
    String failed =
        context.getTestClass().map(c -> store(context).get(c, String.class)).orElse(null);
    return failed == null
        ? ConditionEvaluationResult.enabled("none before it failed")
        : ConditionEvaluationResult.disabled(failed + " failed before it");
  }
}
