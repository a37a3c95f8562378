# The same split through scikit-learn; run by bench/classifier.ts. Prints one JSON line a classifier.
import sys, json, re, math
from sklearn.feature_extraction.text import CountVectorizer, TfidfVectorizer
from sklearn.naive_bayes import MultinomialNB, ComplementNB
from sklearn.linear_model import LogisticRegression
from sklearn.calibration import CalibratedClassifierCV
from sklearn.metrics import accuracy_score, log_loss, roc_auc_score
d=json.load(open(sys.argv[1]))
tr,te=d['train'],d['test']
def run(name,vec,clf):
    X=vec.fit_transform([t for t,_ in tr]); y=[l for _,l in tr]
    clf.fit(X,y); p=clf.predict_proba(vec.transform([t for t,_ in te]))[:,1]; yt=[l for _,l in te]
    print(json.dumps({'name':name,'accuracy':accuracy_score(yt,p>=.5),'logLoss':log_loss(yt,p.clip(1e-6,1-1e-6)),'auc':roc_auc_score(yt,p)}))
kw=dict(lowercase=True,token_pattern=r'(?u)[^\W\d_][\w\'-]{2,23}')
run('MultinomialNB, counts',CountVectorizer(**kw),MultinomialNB())
run('MultinomialNB, presence, calibrated (sigmoid, 5 folds)',CountVectorizer(binary=True,**kw),CalibratedClassifierCV(MultinomialNB(),method='sigmoid',cv=5))
run('LogisticRegression, tf-idf',TfidfVectorizer(**kw),LogisticRegression(max_iter=1000))
