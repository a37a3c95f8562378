# The same split through scikit-learn; run by bench/classifier.ts. Prints one JSON line a classifier.
import sys, json
from sklearn.feature_extraction.text import CountVectorizer, TfidfVectorizer
from sklearn.naive_bayes import MultinomialNB
from sklearn.linear_model import LogisticRegression
from sklearn.svm import LinearSVC
from sklearn.calibration import CalibratedClassifierCV
from sklearn.metrics import accuracy_score, log_loss, roc_auc_score

folds = json.load(open(sys.argv[1]))
words = r"(?u)[^\W\d_][\w\'-]{2,23}"


def options(rows):
    # Texts are split here; tokens come as they are.
    if isinstance(rows[0][0], str):
        return dict(lowercase=True, token_pattern=words)
    return dict(analyzer=lambda tokens: tokens)


def run(name, vectorizer, classifier):
    truth, said = [], []
    for fold in folds:
        train, test = fold['train'], fold['test']
        vectors = vectorizer(**options(train))
        fitted = classifier().fit(vectors.fit_transform([t for t, _ in train]), [l for _, l in train])
        said += list(fitted.predict_proba(vectors.transform([t for t, _ in test]))[:, 1])
        truth += [l for _, l in test]
    clipped = [min(1 - 1e-6, max(1e-6, p)) for p in said]
    print(json.dumps({
        'name': name,
        'accuracy': accuracy_score(truth, [p >= 0.5 for p in said]),
        'logLoss': log_loss(truth, clipped),
        'auc': roc_auc_score(truth, said),
    }))


run('scikit-learn MultinomialNB, counts', CountVectorizer, MultinomialNB)
run('scikit-learn LogisticRegression, tf-idf, C = 10', lambda **o: TfidfVectorizer(sublinear_tf=True, **o), lambda: LogisticRegression(C=10, max_iter=2000))
run('scikit-learn LinearSVC, tf-idf, calibrated', lambda **o: TfidfVectorizer(sublinear_tf=True, **o), lambda: CalibratedClassifierCV(LinearSVC(), cv=5))
